import type { OverlayKind } from '../model/documents.ts';
import type { PlannedNode } from './plan.ts';

/**
 * Bytes that an encapsulation adds to a packet of pods, outer headers included, on IPv4 and IPv6:
 * - IP in IP (RFC 2003, RFC 2473): the outer header, 20 or 40
 * - VXLAN (RFC 7348): outer header, UDP 8, VXLAN 8, inner Ethernet 14
 * - Geneve (RFC 8926): the same with a header of 8 and one option of 8
 * - WireGuard: outer header, UDP 8, message header 16, authentication tag 16 (RFC 8439)
 */
const adds = {
  none: [0, 0],
  ipip: [20, 40],
  vxlan: [20 + 8 + 8 + 14, 40 + 8 + 8 + 14],
  geneve: [20 + 8 + 16 + 14, 40 + 8 + 16 + 14],
  wireguard: [20 + 8 + 32, 40 + 8 + 32],
} as const satisfies Record<OverlayKind, readonly [number, number]>;
export const overhead = (kind: OverlayKind, v: 4 | 6): number => adds[kind][v === 4 ? 0 : 1];

/** Members n → majority ⌊n/2⌋ + 1, tolerated losses n − majority. */
export function quorumOf(members: number) {
  const majority = Math.floor(members / 2) + 1;
  return { members, majority, tolerates: members - majority };
}

const kept = { cores: 1, memoryGiB: 2.1 };

/** Cores of a host that pods can use. */
export const usableCores = (cores: number): number => Math.max(0, cores - kept.cores);

/** Memory of a host that pods can use, in GiB. */
export const usableMemory = (memoryGiB: number): number => Math.max(0, memoryGiB - kept.memoryGiB);

/** Allocatable on the workers (on all nodes where there are none), and what is left without the largest. */
export function capacityOf(nodes: readonly PlannedNode[]) {
  const workers = nodes.filter((n) => n.role === 'worker');
  const of = workers.length ? workers : nodes;
  const cores = of.map((n) => usableCores(n.facts.cores));
  const memory = of.map((n) => usableMemory(n.facts.memoryGiB));
  const sum = (list: number[]) => list.reduce((a, b) => a + b, 0);
  const whole = (n: number) => Math.round(n);
  /** What is left without the zone, or the rack, that holds most; nothing where all stand in one. */
  const without = (domain: 'zone' | 'rack') => {
    const names = [...new Set(of.map((n) => n[domain]).filter(Boolean))];
    if (names.length < 2) return undefined;
    const left = names.map((name) => {
      const stay = of.map((n, i) => (n[domain] === name ? -1 : i)).filter((i) => i >= 0);
      return { name, cores: whole(sum(stay.map((i) => cores[i] ?? 0))), memoryGiB: whole(sum(stay.map((i) => memory[i] ?? 0))) };
    });
    return left.sort((a, b) => a.cores - b.cores || a.memoryGiB - b.memoryGiB || (a.name < b.name ? -1 : 1))[0];
  };
  const [zone, rack] = [without('zone'), without('rack')];
  return {
    cores: whole(sum(cores)),
    memoryGiB: whole(sum(memory)),
    coresAfterLoss: whole(sum(cores) - Math.max(0, ...cores)),
    memoryAfterLoss: whole(sum(memory) - Math.max(0, ...memory)),
    ...(zone ? { withoutZone: zone } : {}),
    ...(rack ? { withoutRack: rack } : {}),
  };
}
