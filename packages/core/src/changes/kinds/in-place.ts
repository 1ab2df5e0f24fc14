import type { PlannedNode } from '../../charter/plan.ts';
import type { Step } from '../../schedule/steps.ts';
import { counted } from '../../words/amounts.ts';
import type { Between, Known } from '../change.ts';
import { Steps } from '../lanes.ts';

/**
 * Hosts that stand are started anew from their kits as they are by now, and keep what is on their disks: the control plane first, one after the
 * other, when etcd has been backed up; then the workers, one after the other. Each is drained before, and takes pods again when it is ready.
 */
export function inPlaceSteps(b: Between, nodes: readonly PlannedNode[], known: Known): Step[] {
  const s = new Steps(b.plan, known, b.estate);
  const names = s.begin();
  const members = nodes.filter((n) => n.role === 'control-plane');
  let last = members.length ? s.whole('backup', 'backup', 'back up etcd', [names]) : names;
  const take = (list: readonly PlannedNode[]) => {
    for (const n of list) {
      const { host } = n;
      const drained = s.add(`${host}/drain`, host, 'drain', 'drain', [last], { host });
      last = s.add(`${host}/join`, host, n.role, 'join', [s.prepare(n, [drained])], { host });
    }
  };
  take(members);
  if (members.length) last = s.whole('quorum', 'quorum', 'quorum', [last]);
  last = s.whole('pod-network', 'pod-network', 'pod network', [last]);
  take(nodes.filter((n) => n.role === 'worker'));
  s.whole('inbound', 'inbound', 'programs run', [last]);
  s.whole('proof', 'proof', 'proof', ['inbound']);
  return s.list;
}

/** What is away while hosts are started anew one after the other. */
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
