import type { Finding } from '../checks/check.ts';
import type { Estate } from '../model/estate.ts';
import { type Known, type Move, type MoveRule, stages } from './move.ts';
import { build } from './rules/build.ts';
import { change } from './rules/change.ts';
import { charter } from './rules/charter.ts';
import { drift } from './rules/drift.ts';
import { hosts } from './rules/hosts.ts';
import { keyring } from './rules/keyring.ts';
import { names } from './rules/names.ts';
import { networks } from './rules/networks.ts';
import { registry } from './rules/registry.ts';
import { releases } from './rules/releases.ts';
import { stops } from './rules/stops.ts';
import { viewsOf } from './view.ts';

const rules: readonly MoveRule[] = [networks, keyring, hosts, registry, releases, charter, stops, names, build, change, drift];

/**
 * What to do next: what failed first, sealed sites before the others, the rest in the order of the job. It leads from an estate with
 * nothing in it to a cluster that stands, and is empty only where no stop stands. Linear in the estate and its findings.
 */
export function nextMoves(estate: Estate, findings: readonly Finding[], { built = {}, untold = [] }: Known = {}): Move[] {
  if (!estate.sites.length)
    return [
      {
        site: '',
        stage: 'site',
        text: 'No site is declared yet: where machines stand, how it is reached, its networks and its DNS zone',
        label: 'Declare the first site',
        go: '/declare?kind=Site&back=/estate',
      },
    ];
  const views = viewsOf(estate, findings, built);
  const moves = views.flatMap((view) =>
    rules.flatMap((rule) => rule(view).map((m): Move => ({ ...m, site: view.site.name, text: `${view.site.title}: ${m.text}` }))),
  );
  for (const { name, why } of untold)
    moves.push({
      site: '',
      stage: 'mend',
      text: `Notice ${name} cannot be sent: ${why}`,
      label: 'Look at it',
      go: '/notices',
    });
  const sealed = new Set(estate.sites.flatMap((s) => (s.reach === 'sealed' ? [s.name] : [])));
  const rank = (m: Move) => [m.stage === 'mend' ? 0 : 1, sealed.has(m.site) ? 0 : 1, stages.indexOf(m.stage)];
  return moves
    .map((m): [Move, number[]] => [m, rank(m)])
    .sort(([, a], [, b]) => {
      const at = a.findIndex((x, i) => x !== b[i]);
      return at < 0 ? 0 : (a[at] as number) - (b[at] as number);
    })
    .map(([m]) => m);
}
