import { type Address, bits, holds, parsePrefix, parseRange, type Prefix, prefixRange, type Range, single } from './parse.ts';
import { subtract } from './ranges.ts';
import { RunTree } from './run-tree.ts';

export type Strategy =
  | { kind: 'lowest' }
  | { kind: 'highest' }
  | { kind: 'after'; address: Address }
  /** In the middle of the widest gap, so that what is handed out lies apart and can grow. */
  | { kind: 'spread' };

/**
 * A prefix with what is taken in it, held as its free runs. Taking, giving back and finding are logarithmic in
 * the number of free runs, whatever the size of the prefix: a /8 or a /64 with a million reservations answers
 * in microseconds.
 */
export class Space {
  readonly range: Range;
  private readonly free: RunTree;

  /** `ends: 'free'` for a space of prefixes, in which no address stands for the network itself. */
  constructor(
    readonly prefix: Prefix,
    { ends = 'reserved', taken = [] }: { ends?: 'reserved' | 'free'; taken?: readonly Range[] } = {},
  ) {
    this.range = prefixRange(prefix);
    const reserved = ends === 'free' ? [] : reservedEnds(prefix).map((n): Range => ({ v: prefix.v, first: n, last: n }));
    this.free = new RunTree(subtract(this.range, [...taken, ...reserved]).map((r) => [r.first, r.last] as const));
  }

  /** Marks a range as taken; parts outside the prefix are ignored. */
  take(r: Range): void {
    if (r.v === this.range.v) this.free.remove(max(r.first, this.range.first), min(r.last, this.range.last));
  }

  /** Gives a range back; parts outside the prefix are ignored. Reserved ends come free too when they lie in it. */
  release(r: Range): void {
    if (r.v === this.range.v) this.free.add(max(r.first, this.range.first), min(r.last, this.range.last));
  }

  isTaken(a: Address): boolean {
    return a.v === this.range.v && holds(this.range, a) && !this.free.has(a.n);
  }

  /** The next free address under the strategy, within `within` where given; undefined when there is none. */
  nextFree(strategy: Strategy = { kind: 'lowest' }, within: Range = this.range): Address | undefined {
    const first = max(within.first, this.range.first);
    const last = min(within.last, this.range.last);
    if (strategy.kind === 'highest') return this.address(this.free.highest(first, last));
    if (strategy.kind === 'spread') {
      const gap = this.free.widest(first, last);
      return gap && this.address(gap.first + (gap.last - gap.first) / 2n);
    }
    return this.freeBlock(1, 1n, {
      v: within.v,
      first: strategy.kind === 'after' ? max(strategy.address.n + 1n, first) : first,
      last,
    });
  }

  /** First address of the lowest free block of `count` addresses whose start is a multiple of `align`. */
  freeBlock(count: number | bigint, align = 1n, within: Range = this.range): Address | undefined {
    if (within.v !== this.range.v) return undefined;
    const first = max(within.first, this.range.first);
    return this.address(this.free.block(BigInt(count), align, first, min(within.last, this.range.last)));
  }

  /** `count` free addresses that lie apart: each in the middle of the widest gap that is left. Fewer when it is full. */
  spread(count: number, within: Range = this.range): Address[] {
    const out: Address[] = [];
    for (let i = 0; i < count; i++) {
      const a = this.nextFree({ kind: 'spread' }, within);
      if (!a) break;
      this.take({ v: a.v, first: a.n, last: a.n });
      out.push(a);
    }
    for (const a of out) this.release({ v: a.v, first: a.n, last: a.n });
    return out;
  }

  /** Taken share, 0 to 1. */
  fullness(): number {
    const size = this.range.last - this.range.first + 1n;
    return Number(((size - this.free.size) * 1_000_000n) / size) / 1_000_000;
  }

  /** How many addresses are free. */
  get left(): bigint {
    return this.free.size;
  }

  freeRuns(): Range[] {
    return this.free.runs().map(([first, last]) => ({ v: this.range.v, first, last }));
  }

  private address = (n: bigint | undefined): Address | undefined => (n === undefined ? undefined : { v: this.range.v, n });
}

const min = (a: bigint, b: bigint) => (a < b ? a : b);
const max = (a: bigint, b: bigint) => (a > b ? a : b);

/** Network and broadcast addresses of IPv4, the subnet-router anycast address of IPv6; none for point-to-point lengths (RFC 3021, RFC 6164). */
export function reservedEnds(p: Prefix): readonly bigint[] {
  let ends = endsOf.get(p);
  if (!ends) {
    const { first, last } = prefixRange(p);
    ends = p.length >= bits(p.v) - 1 ? [] : p.v === 4 ? [first, last] : [first];
    endsOf.set(p, ends);
  }
  return ends;
}
/** Every address of a network is held against the same ends. */
const endsOf = new WeakMap<Prefix, readonly bigint[]>();

export interface NetworkUse {
  prefix: string;
  gateway?: string | undefined;
  dhcp: { range: string }[];
  pools: { range: string; use: string }[];
}

/**
 * The space of a network as the plan has it. DHCP scopes are always taken; pools for anything but hosts are
 * taken unless `inside` names the use to allocate from. `taken` are addresses and ranges (`10.62.8.64-10.62.8.79`).
 */
export function spaceOf(network: NetworkUse, taken: Iterable<string>, inside?: string): Space {
  const away: Range[] = network.dhcp.map((scope) => parseRange(scope.range));
  for (const pool of network.pools) if (pool.use !== 'host' && pool.use !== inside) away.push(parseRange(pool.range));
  for (const text of network.gateway ? [network.gateway, ...taken] : taken)
    away.push(text.includes('-') ? parseRange(text) : single(text));
  return new Space(parsePrefix(network.prefix), { taken: away });
}
