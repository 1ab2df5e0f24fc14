import { counted } from '../../words/amounts.ts';
import type { Between, ChangeKind } from '../change.ts';
import { awayInPlace, guestsLose, inPlaceRows, inPlaceSteps } from './in-place.ts';

const touched = (b: Between) => b.stays.filter((n) => b.installed.files.has(n.host));
const some = (b: Between) => b.installed.files.size > 0 || b.installed.manifests.length > 0;

/** What cannot be changed of a cluster that stands: addresses that pods and services have already. */
const fixed: { field: string; label: string; of: (c: Between['plan']['charter']) => unknown }[] = [
  { field: 'pods.range', label: 'the range of its pods', of: (c) => [c.pods.range, c.pods.perNode] },
  { field: 'services.range', label: 'the range of its services', of: (c) => c.services.range },
  { field: 'second', label: 'its second version of IP', of: (c) => c.second ?? null },
  { field: 'overlay.kind', label: 'its overlay', of: (c) => c.overlay.kind },
  { field: 'podNetwork', label: 'its pod network', of: (c) => c.podNetwork ?? null },
];

function refused(b: Between): string[] {
  const before = b.installed.charter;
  const other = before ? fixed.filter((f) => JSON.stringify(f.of(before)) !== JSON.stringify(f.of(b.plan.charter))) : [];
  return [
    ...(b.installed.elsewhere && touched(b).length
      ? [
          `its hosts were installed elsewhere, and get no files from here: set back what ${[...new Set([...b.installed.files.values()].flat())].slice(0, 3).join(', ')} follows from`,
        ]
      : []),
    ...other.map((f) => `${f.label} cannot change while it stands (${f.field}): set it back, or build another cluster`),
    ...guestsLose(b, touched(b)),
  ];
}

/** Files of hosts that stand, and what the API was given, as they follow from the charter by now. */
export const apply: ChangeKind = {
  kind: 'apply',
  elsewhere: true,
  label: 'Apply changes',
  due: (b) => b.stays.length > 0 && !b.joins.length && !b.leaves.length && !b.behind.length && some(b),
  installs: touched,
  title: (b) => {
    const hosts = touched(b).length;
    return `Apply changes to ${hosts ? `${counted(hosts, 'host')} of ` : ''}${b.plan.charter.name}`;
  },
  steps: (b, known) => inPlaceSteps(b, touched(b), known),
  refused,
  away: (b) => awayInPlace(b, touched(b)),
  rows: (b) => {
    // Files that many hosts have alike are one line.
    const hosts = new Map<string, string[]>();
    for (const [host, paths] of b.installed.files) for (const p of paths) hosts.set(p, [...(hosts.get(p) ?? []), host]);
    const few = (list: string[]) => (list.length > 2 ? counted(list.length, 'host') : list.join(', '));
    return [
      ...[...hosts].map(([path, list]) => ({
        what: path,
        now: 'as installed',
        after: 'as the charter says',
        how: `on ${few(list)}, started anew, drained; what is on its disks stays`,
      })),
      ...b.installed.manifests.map((path) => ({
        what: path,
        now: 'as given to the API',
        after: 'as the charter says',
        how: 'given to the API',
      })),
      ...inPlaceRows(b, touched(b)),
    ];
  },
};
