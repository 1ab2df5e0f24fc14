import type { Known } from '../../schedule/estimate.ts';
import type { PlannedNode } from '../../charter/plan.ts';
import type { Step } from '../../schedule/steps.ts';
import { counted } from '../../words/amounts.ts';
import type { Between, ChangeRow } from '../change.ts';
import { Steps } from '../lanes.ts';
import { groupsOf, workersAtOnce } from '../side-by-side.ts';

const isMember = (n: PlannedNode) => n.role === 'control-plane';
const workersOf = (nodes: readonly PlannedNode[]) => nodes.filter((n) => n.role === 'worker');

/**
 * Hosts that stand are started anew from their kits as they are by now, and keep what is on their disks: the control plane first, one after the
 * other, when etcd has been backed up; then the workers, as many at once as may be away. Each is drained before, and takes pods again when it is ready. One that
 * fails stays where it is, and none after it is begun.
 */
export function inPlaceSteps(b: Between, nodes: readonly PlannedNode[], known: Known): Step[] {
  const s = new Steps(b.plan, known, b.estate);
  const names = s.begin();
  const members = nodes.filter(isMember);
  let last = members.length ? s.whole('backup', 'backup', 'back up etcd', [names]) : names;
  const take = (n: PlannedNode, after: readonly string[]) => {
    const { host } = n;
    let drained = s.add(`${host}/drain`, host, 'drain', 'drain', after, { host });
    // Its data of etcd lie on the system's volume: it leaves, and joins anew.
    if (n.guest && isMember(n)) drained = s.add(`${host}/member`, host, 'member', 'leave etcd', [drained], { host });
    return s.add(`${host}/join`, host, n.role, 'join', [s.prepare(n, [drained])], { host });
  };
  for (const n of members) last = take(n, [last]);
  if (members.length) last = s.whole('quorum', 'quorum', 'quorum', [last]);
  let before = [s.whole('pod-network', 'pod-network', 'pod network', [last])];
  for (const group of groupsOf(workersOf(nodes), workersAtOnce(b).most)) before = group.map((n) => take(n, before));
  s.whole('inbound', 'inbound', 'programs run', before);
  s.whole('proof', 'proof', 'proof', ['inbound']);
  return s.list;
}

/** How many workers are away at once, and why not more; nothing where there are not two. */
export function atOnceRow(b: Between, workers: number): ChangeRow[] {
  if (workers < 2) return [];
  const { most, why } = workersAtOnce(b);
  const after = most > 1 ? `up to ${Math.min(most, workers - 1)}, the first alone` : 'one after the other';
  return [{ what: 'Workers away at once', now: 'none', after, how: why, field: 'workersAtOnce' }];
}
/** What is said of every change that starts hosts anew. */
export const inPlaceRows = (b: Between, nodes: readonly PlannedNode[]) => [
  ...guestsRow(nodes),
  ...atOnceRow(b, workersOf(nodes).length),
];

/** What is away while hosts are started anew. */
export function awayInPlace(b: Between, nodes: readonly PlannedNode[]): string {
  if (!nodes.length) return 'nothing: no host is touched';
  const members = b.plan.nodes.filter((n) => n.role === 'control-plane').length;
  const api =
    members > 1 || !nodes.some((n) => n.role === 'control-plane') ? '' : '; the API itself, while its only host is started anew';
  return `nothing with two copies of it; what has one copy is away each time that its host is drained${api}`;
}

/** The system's volume of a guest is made anew from its mould, and etcd of a member lies on it: an only member would lose everything. */
export function guestsLose(b: Between, nodes: readonly PlannedNode[]): string[] {
  const [only, second] = b.plan.nodes.filter(isMember);
  if (second || !only?.guest || !nodes.includes(only)) return [];
  return [
    `${only.host} is a guest and the only member of the control plane: what etcd holds lies on the volume that is made anew; add members first`,
  ];
}
/** What is lost of guests, as a row; nothing where there are none. */
export function guestsRow(nodes: readonly PlannedNode[]): ChangeRow[] {
  const guests = nodes.filter((n) => n.guest).length;
  return guests
    ? [
        {
          what: counted(guests, 'guest'),
          now: 'as cast',
          after: 'cast anew',
          how: 'the volume of the system is made anew from the mould; further volumes stay',
        },
      ]
    : [];
}
