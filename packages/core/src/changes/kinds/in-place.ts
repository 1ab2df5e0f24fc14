import type { PlannedNode } from '../../charter/plan.ts';
import type { Step } from '../../schedule/steps.ts';
import { counted } from '../../words/amounts.ts';
import type { Between, ChangeRow, Known } from '../change.ts';
import { Steps } from '../lanes.ts';
import { groupsOf, workersAtOnce } from '../side-by-side.ts';

const workersOf = (nodes: readonly PlannedNode[]) => nodes.filter((n) => n.role === 'worker');

/**
 * Hosts that stand are started anew from their kits as they are by now, and keep what is on their disks: the control plane first, one after the
 * other, when etcd has been backed up; then the workers, as many at once as may be away. Each is drained before, and takes pods again when it is ready. One that
 * fails stays where it is, and none after it is begun.
 */
export function inPlaceSteps(b: Between, nodes: readonly PlannedNode[], known: Known): Step[] {
  const s = new Steps(b.plan, known, b.estate);
  const names = s.begin();
  const members = nodes.filter((n) => n.role === 'control-plane');
  let last = members.length ? s.whole('backup', 'backup', 'back up etcd', [names]) : names;
  const take = (n: PlannedNode, after: readonly string[]) => {
    const { host } = n;
    const drained = s.add(`${host}/drain`, host, 'drain', 'drain', after, { host });
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
export const inPlaceRow = (b: Between, nodes: readonly PlannedNode[]) => atOnceRow(b, workersOf(nodes).length);

/** What is away while hosts are started anew. */
export function awayInPlace(b: Between, nodes: readonly PlannedNode[]): string {
  if (!nodes.length) return 'nothing: no host is touched';
  const members = b.plan.nodes.filter((n) => n.role === 'control-plane').length;
  const api =
    members > 1 || !nodes.some((n) => n.role === 'control-plane') ? '' : '; the API itself, while its only host is started anew';
  return `nothing with two copies of it; what has one copy is away each time that its host is drained${api}`;
}

/** Guests have the system of their mould: it is not theirs to be started from a kit. */
export function guestsKeep(nodes: readonly PlannedNode[]): string[] {
  const guests = nodes.filter((n) => n.guest).map((n) => n.host);
  if (!guests.length) return [];
  const many = guests.length > 1;
  return [
    `${counted(guests.length, 'guest')} (${guests.slice(0, 3).join(', ')}) ${many ? 'keep' : 'keeps'} the system of the mould: replace ${many ? 'them' : 'it'} by new ones`,
  ];
}
