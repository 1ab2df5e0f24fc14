import {
  type Address,
  bits,
  formatIp,
  holds,
  parseIp,
  parsePrefix,
  parseRange,
  type Prefix,
  prefixRange,
  type Range,
} from './parse.ts';

export type Strategy = { kind: 'lowest' } | { kind: 'highest' } | { kind: 'after'; address: Address };

/**
 * A prefix with what is taken in it, as sorted disjoint runs. Adjacent runs are joined, so the number of
 * runs, and with it every search, depends on the gaps and not on the reservations.
 */
export class Space {
  readonly range: Range;
  private readonly firsts: bigint[] = [];
  private readonly lasts: bigint[] = [];

  constructor(readonly prefix: Prefix) {
    this.range = prefixRange(prefix);
    for (const end of reservedEnds(prefix)) this.take({ v: prefix.v, first: end, last: end });
  }

  /** Marks a range as taken; parts outside the prefix are ignored. O(log runs) to find, O(runs) to shift. */
  take(r: Range): void {
    if (r.v !== this.range.v) return;
    let first = r.first < this.range.first ? this.range.first : r.first;
    let last = r.last > this.range.last ? this.range.last : r.last;
    if (first > last) return;
    let i = this.firstRunEndingAt(first - 1n);
    const from = i;
    while (i < this.firsts.length && (this.firsts[i] as bigint) <= last + 1n) {
      if ((this.firsts[i] as bigint) < first) first = this.firsts[i] as bigint;
      if ((this.lasts[i] as bigint) > last) last = this.lasts[i] as bigint;
      i++;
    }
    this.firsts.splice(from, i - from, first);
    this.lasts.splice(from, i - from, last);
  }

  isTaken(a: Address): boolean {
    const i = this.firstRunEndingAt(a.n);
    return a.v === this.range.v && i < this.firsts.length && (this.firsts[i] as bigint) <= a.n;
  }

  /** The next free address under the strategy, within `within` where given; undefined when there is none. */
  nextFree(strategy: Strategy = { kind: 'lowest' }, within: Range = this.range): Address | undefined {
    if (strategy.kind === 'highest') {
      let n = min(within.last, this.range.last);
      for (let i = this.lastRunStartingAt(n); i >= 0 && (this.lasts[i] as bigint) >= n; i--) n = (this.firsts[i] as bigint) - 1n;
      return n >= max(within.first, this.range.first) ? { v: this.range.v, n } : undefined;
    }
    const start = strategy.kind === 'after' ? max(strategy.address.n + 1n, within.first) : within.first;
    return this.freeBlock(1, 1n, { v: within.v, first: start, last: within.last });
  }

  /** First address of the lowest free block of `count` addresses whose start is a multiple of `align`. */
  freeBlock(count: number, align = 1n, within: Range = this.range): Address | undefined {
    const need = BigInt(count);
    const stop = min(within.last, this.range.last);
    const up = (n: bigint) => ((n + align - 1n) / align) * align;
    let n = up(max(within.first, this.range.first));
    let i = this.firstRunEndingAt(n);
    while (n + need - 1n <= stop) {
      if (i >= this.firsts.length || (this.firsts[i] as bigint) > n + need - 1n) return { v: this.range.v, n };
      n = up((this.lasts[i] as bigint) + 1n);
      i++;
      while (i < this.firsts.length && (this.lasts[i] as bigint) < n) i++;
    }
    return undefined;
  }

  /** Taken share, 0 to 1. */
  fullness(): number {
    let taken = 0n;
    for (let i = 0; i < this.firsts.length; i++) taken += (this.lasts[i] as bigint) - (this.firsts[i] as bigint) + 1n;
    return Number((taken * 1_000_000n) / (this.range.last - this.range.first + 1n)) / 1_000_000;
  }

  freeRuns(): Range[] {
    const runs: Range[] = [];
    let n = this.range.first;
    for (let i = 0; i < this.firsts.length; i++) {
      if ((this.firsts[i] as bigint) > n) runs.push({ v: this.range.v, first: n, last: (this.firsts[i] as bigint) - 1n });
      n = (this.lasts[i] as bigint) + 1n;
    }
    if (n <= this.range.last) runs.push({ v: this.range.v, first: n, last: this.range.last });
    return runs;
  }

  private firstRunEndingAt(n: bigint): number {
    let lo = 0;
    let hi = this.lasts.length;
    while (lo < hi) {
      const mid = (lo + hi) >> 1;
      if ((this.lasts[mid] as bigint) < n) lo = mid + 1;
      else hi = mid;
    }
    return lo;
  }

  private lastRunStartingAt(n: bigint): number {
    let lo = 0;
    let hi = this.firsts.length;
    while (lo < hi) {
      const mid = (lo + hi) >> 1;
      if ((this.firsts[mid] as bigint) <= n) lo = mid + 1;
      else hi = mid;
    }
    return lo - 1;
  }
}

const min = (a: bigint, b: bigint) => (a < b ? a : b);
const max = (a: bigint, b: bigint) => (a > b ? a : b);

/** Network and broadcast addresses of IPv4, the subnet-router anycast address of IPv6; none for point-to-point lengths (RFC 3021, RFC 6164). */
function reservedEnds(p: Prefix): bigint[] {
  if (p.length >= bits(p.v) - 1) return [];
  const { first, last } = prefixRange(p);
  return p.v === 4 ? [first, last] : [first];
}

export interface NetworkUse {
  prefix: string;
  gateway?: string | undefined;
  dhcp: { range: string }[];
  pools: { range: string; use: string }[];
}

/**
 * The space of a network as the plan has it. DHCP scopes are always taken; pools for services and
 * virtual addresses are taken unless `inside` names the one to allocate from.
 */
export function spaceOf(network: NetworkUse, taken: Iterable<string>, inside?: string): Space {
  const space = new Space(parsePrefix(network.prefix));
  for (const scope of network.dhcp) space.take(parseRange(scope.range));
  for (const pool of network.pools) if (pool.use !== 'host' && pool.use !== inside) space.take(parseRange(pool.range));
  for (const text of network.gateway ? [network.gateway, ...taken] : taken) {
    const a = parseIp(text);
    if (holds(space.range, a)) space.take({ v: a.v, first: a.n, last: a.n });
  }
  return space;
}

/** `count` consecutive addresses as text, from the start given. */
export const consecutive = (start: Address, count: number): string[] =>
  Array.from({ length: count }, (_, i) => formatIp({ v: start.v, n: start.n + BigInt(i) }));
