import semver from 'semver';
import { removedIn, runsWith, upgradePath } from '../../images/versions.ts';
import { addonsOf } from '../../model/bills.ts';
import type { Plan } from '../plan.ts';
import { aspect, because } from './aspect.ts';
import { references } from './references.ts';

type Upgrade = Plan['upgrades'][number];
const most = 3;
const wayText = (u: Upgrade) =>
  !u.path ? `${u.to}: no way` : u.path.length > 1 ? `${u.to} over ${u.path.slice(0, -1).join(', ')}` : u.to;

/** Where a cluster can go from its release: minor version by minor version, and what of it does not come along. */
export const versions = aspect<Pick<Plan, 'upgrades'>>({
  name: 'versions',
  compute: ({ charter, view, need }) => {
    const { release } = need(references);
    if (!release) return { upgrades: [] };
    const all = view.all('Release');
    const addons = addonsOf(charter).flatMap((a) => view.get('Addon', a) ?? []);
    return {
      upgrades: all
        .filter((r) => r.arch.includes(charter.arch) && semver.gt(r.version, release.version))
        .sort((a, b) => semver.compare(a.version, b.version))
        .map(
          (to): Upgrade => ({
            to: to.name,
            path: upgradePath(release, to, all)?.map((r) => r.name),
            hinders: addons.filter((a) => !runsWith(a, to) || removedIn(to, a).length).map((a) => a.name),
          }),
        ),
    };
  },
  lines: ({ upgrades: all, charter }) =>
    all.length
      ? [
          {
            id: 'upgrades',
            section: 1,
            label: 'Can go to',
            text: `${all.slice(-most).map(wayText).join('; ')}${all.length > most ? `; and ${all.length - most} before` : ''}`,
            why: [
              because('one minor version at a time', { from: charter.release }, ['release']),
              ...all
                .filter((u) => u.hinders.length)
                .map((u) => because('add-ons that stay behind', { to: u.to, addons: u.hinders.join(', ') }, ['addons'])),
            ],
          },
        ]
      : [],
});
