import type { Host } from '../model/documents.ts';

/** What hosts can share and fail with together, the widest first. */
const domains = {
  zone: (h: Host) => h.zone,
  rack: (h: Host) => h.rack,
  // A host that draws from both goes on when either is away.
  feed: (h: Host) => h.feed ?? 'both',
} as const;
export type Domain = keyof typeof domains;

/** How many different domains some hosts use, and how many that many hosts could use at most. */
export interface Spread {
  domain: Domain;
  used: number;
  atMost: number;
}

const distinct = (hosts: readonly Host[], of: (h: Host) => string | undefined) => {
  const set = new Set<string>();
  for (const h of hosts) {
    const d = of(h);
    if (d) set.add(d);
  }
  return set.size;
};

/** The spread of hosts that were chosen among others: how far it may be from the best is `atMost − used`. */
export const spreadOf = (chosen: readonly Host[], among: readonly Host[]): Spread[] =>
  (Object.keys(domains) as Domain[]).map((domain) => ({
    domain,
    used: distinct(chosen, domains[domain]),
    atMost: Math.min(chosen.length, distinct(among, domains[domain])),
  }));

/** Combinations that are looked at one by one; above this the answer is the greedy one, with its bound. */
export const exactUpTo = 20_000;

/** n over k, or infinity when it is more than is ever looked at. */
export function combinations(n: number, k: number): number {
  let c = 1;
  for (let i = 1; i <= k; i++) {
    c = (c * (n - k + i)) / i;
    if (c > exactUpTo * 1000) return Number.POSITIVE_INFINITY;
  }
  return Math.round(c);
}

/**
 * The `count` hosts that use the most zones, then racks, then power feeds, then have the least left over; among equals those that stand
 * first. Hosts in `fixed` are among them whatever the rest.
 *
 * @returns undefined where there are too few hosts, or too many combinations to look at
 */
export function widest(
  able: readonly Host[],
  count: number,
  fixed: readonly Host[],
  weight: (h: Host) => number,
): Host[] | undefined {
  const free = able.filter((h) => !fixed.includes(h));
  const k = count - fixed.length;
  if (k < 0 || free.length < k || combinations(free.length, k) > exactUpTo) return undefined;
  let best: { hosts: Host[]; score: number[] } | undefined;
  const picked: Host[] = [...fixed];
  const look = (from: number) => {
    if (picked.length === count) {
      const score = [
        ...(Object.keys(domains) as Domain[]).map((d) => -distinct(picked, domains[d])),
        picked.reduce((n, h) => n + weight(h), 0),
      ];
      const at = best ? score.findIndex((s, i) => s !== best?.score[i]) : 0;
      if (!best || (at >= 0 && (score[at] as number) < (best.score[at] as number))) best = { hosts: [...picked], score };
      return;
    }
    for (let i = from; i <= free.length - (count - picked.length); i++) {
      picked.push(free[i] as Host);
      look(i + 1);
      picked.pop();
    }
  };
  look(0);
  return best?.hosts;
}
