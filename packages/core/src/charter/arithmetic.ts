import type { PlannedNode } from './plan.ts';

/** Bytes an encapsulation adds, outer headers included: VXLAN (RFC 7348) 50 on IPv4 and 70 on IPv6; Geneve (RFC 8926) the same plus 8 for one option. */
export function overhead(kind: 'geneve' | 'vxlan' | 'none', v: 4 | 6): number {
  const outer = v === 4 ? 50 : 70;
  return kind === 'none' ? 0 : kind === 'vxlan' ? outer : outer + 8;
}

/** Members n → majority ⌊n/2⌋ + 1, tolerated losses n − majority. */
export function quorumOf(members: number) {
  const majority = Math.floor(members / 2) + 1;
  return { members, majority, tolerates: members - majority };
}

const kept = { cores: 1, memoryGiB: 2.1 };

/** Allocatable on the workers (on all nodes where there are none), and what is left without the largest. */
export function capacityOf(nodes: readonly PlannedNode[]) {
  const workers = nodes.filter((n) => n.role === 'worker');
  const of = workers.length ? workers : nodes;
  const cores = of.map((n) => Math.max(0, n.facts.cores - kept.cores));
  const memory = of.map((n) => Math.max(0, n.facts.memoryGiB - kept.memoryGiB));
  const sum = (list: number[]) => list.reduce((a, b) => a + b, 0);
  const whole = (n: number) => Math.round(n);
  return {
    cores: whole(sum(cores)),
    memoryGiB: whole(sum(memory)),
    coresAfterLoss: whole(sum(cores) - Math.max(0, ...cores)),
    memoryAfterLoss: whole(sum(memory) - Math.max(0, ...memory)),
  };
}
