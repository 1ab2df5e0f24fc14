import { usableCores, usableMemory } from '../charter/arithmetic.ts';
import type { PlannedNode } from '../charter/plan.ts';
import { counted } from '../words/amounts.ts';
import type { Between, Requested } from './change.ts';

/** What pods can use of a node: cores, memory, and how many of them it takes. */
const roomOf = (b: Between, n: PlannedNode): Requested => ({
  cores: usableCores(n.facts.cores),
  memoryGiB: usableMemory(n.facts.memoryGiB),
  pods: b.plan.charter.pods.most,
});
const runs = (r: Requested) => `${counted(r.pods, 'pod runs', 'pods run')}, asking for ${r.cores} cores and ${r.memoryGiB} GiB`;

/** How many workers may be away at once, and what it follows from. */
export interface AtOnce {
  most: number;
  why: string;
}

/** How many copies of a volume may be away while most of them are there: (copies − 1) / 2, and one in any case. */
const copiesAway = (copies: number) => Math.max(1, Math.floor((copies - 1) / 2));

/**
 * How many workers may be away at once: as many as leave room for what runs, and for the loss of one more; never so many that a volume loses most of its copies;
 * never more than the charter says. Where nobody knows what runs, one.
 *
 * @example 8 workers of 31 usable cores, 100 requested: 248 − 31 × (4 + 1) = 93 is too little, 248 − 31 × (3 + 1) = 124 is enough: 3
 */
export function workersAtOnce(b: Between): AtOnce {
  const set = b.plan.charter.workersAtOnce;
  const { requested } = b.installed;
  if (!requested) return set ? { most: set, why: 'as it is set' } : { most: 1, why: 'what runs and asks for room is not known' };
  const workers = [
    ...b.stays.filter((n) => n.role === 'worker').map((n) => roomOf(b, n)),
    ...b.leaves.filter((l) => l.role === 'worker'),
  ];
  const roomFor = (of: keyof Requested) => {
    const sizes = workers.map((w) => w[of]).sort((x, y) => y - x);
    let left = sizes.reduce((sum, n) => sum + n, 0);
    // The largest may be the ones that are away, and one more is lost.
    let away = -1;
    for (const size of sizes) {
      left -= size;
      if (left < requested[of]) break;
      away++;
    }
    return away;
  };
  const room = Math.min(roomFor('cores'), roomFor('memoryGiB'), roomFor('pods'));
  const copies = b.plan.storage.filter(
    (s) => s.kind === 'copies' && s.copies > 1 && !(s.apart === 'zone' && s.places > 1 && !s.mayShare),
  );
  const limits: AtOnce[] = [
    {
      most: Math.max(1, room),
      why:
        room < 1
          ? `${runs(requested)}: there is no room for more`
          : `${runs(requested)}, and one more host may be lost meanwhile`,
    },
    ...copies.map((s) => ({
      most: copiesAway(s.copies),
      why: `volumes of ${s.name} have ${counted(s.copies, 'copy', 'copies')}, on any hosts`,
    })),
    ...(set ? [{ most: set, why: 'as it is set' }] : []),
  ];
  return limits.reduce((least, l) => (l.most < least.most ? l : least));
}

/** What pods can use when a change is done: of the workers, or of all where there are none. */
export function roomLeft(b: Between): Requested {
  const nodes = [...b.stays, ...b.joins];
  const workers = nodes.filter((n) => n.role === 'worker');
  const of = workers.length ? workers : nodes;
  return of
    .map((n) => roomOf(b, n))
    .reduce((sum, r) => ({ cores: sum.cores + r.cores, memoryGiB: sum.memoryGiB + r.memoryGiB, pods: sum.pods + r.pods }), {
      cores: 0,
      memoryGiB: 0,
      pods: 0,
    });
}

/**
 * Workers in the groups in which they are away together: the first alone, since it shows whether it can be done at all; then one zone after the other, so that what is
 * spread over zones is in no two of them away.
 */
export function groupsOf<T extends { zone: string }>(workers: readonly T[], most: number): T[][] {
  const [first, ...rest] = workers;
  if (!first) return [];
  const zones = new Map<string, T[]>();
  for (const w of [first, ...rest]) zones.set(w.zone, [...(zones.get(w.zone) ?? []), w]);
  const groups: T[][] = [[first]];
  for (const list of zones.values()) {
    const left = list.filter((w) => w !== first);
    for (let at = 0; at < left.length; at += most) groups.push(left.slice(at, at + most));
  }
  return groups;
}
