import type { DocOf, Network, Release, Site } from '../../model/documents.ts';
import { systemOf } from '../../model/systems.ts';
import type { Problem } from '../plan.ts';
import { type Pool, poolsOf } from '../pools.ts';
import { aspect } from './aspect.ts';

/** The documents that a charter names. */
export interface References {
  site?: Site;
  network?: Network;
  networks: Network[];
  secondNetwork?: Network;
  release?: Release;
  mirror?: DocOf<'Registry'>;
}

/** An operating system that a pool names and the release has not. */
const lacksSystem = (release: Release, pool: Pool): Problem[] =>
  systemOf(release, pool) || !pool.system
    ? []
    : [
        {
          about: 'system',
          path: [...pool.path, 'system'],
          named: pool.system,
          text: `release ${release.name} has no operating system ${pool.system}`,
        },
      ];

export const references = aspect<References>({
  name: 'references',
  compute: ({ charter, view }) => {
    const site = view.get('Site', charter.site);
    const network = view.by('Network', 'site', charter.site).find((n) => n.name === charter.machineNetwork);
    const networks = (charter.networks ?? []).flatMap(
      (name) => view.by('Network', 'site', charter.site).find((n) => n.name === name) ?? [],
    );
    const { second } = charter;
    const secondNetwork = second && view.by('Network', 'site', charter.site).find((n) => n.name === second.network);
    const release = view.get('Release', charter.release);
    const mirror = view.get('Registry', charter.mirror);
    const lacks = (about: Problem['about'], path: Problem['path'], named: string): Problem => ({
      about,
      path,
      named,
      text: `there is no ${nounOf(about)} ${named}${about === 'network' ? ` at ${charter.site}` : ''}`,
    });
    const problems = [
      ...(site ? [] : [lacks('site', ['site'], charter.site)]),
      ...(network ? [] : [lacks('network', ['machineNetwork'], charter.machineNetwork)]),
      ...(second && !secondNetwork ? [lacks('network', ['second', 'network'], second.network)] : []),
      ...(charter.networks ?? []).flatMap((name, i) =>
        networks.some((n) => n.name === name) ? [] : [lacks('network', ['networks', i], name)],
      ),
      ...(release ? [] : [lacks('release', ['release'], charter.release)]),
      ...(release ? poolsOf(charter).flatMap((p) => lacksSystem(release, p)) : []),
      ...(mirror ? [] : [lacks('mirror', ['mirror'], charter.mirror)]),
      ...charter.addons.flatMap((name, i) => (view.get('Addon', name) ? [] : [lacks('addon', ['addons', i], name)])),
      ...(charter.podNetwork && !view.get('Addon', charter.podNetwork)
        ? [lacks('addon', ['podNetwork'], charter.podNetwork)]
        : []),
    ];
    return {
      ...(site ? { site } : {}),
      ...(network ? { network } : {}),
      networks,
      ...(secondNetwork ? { secondNetwork } : {}),
      ...(release ? { release } : {}),
      ...(mirror ? { mirror } : {}),
      problems,
    };
  },
});
/** What is lacking, where it is called otherwise than the field that names it. */
const place = 'registry';
const nouns: Partial<Record<Problem['about'], string>> = { addon: 'add-on' };
const nounOf = (about: Problem['about']) => (about === 'mirror' ? place : (nouns[about] ?? about));
