import {
  type Address,
  consecutive,
  formatIp,
  holds,
  parseIp,
  parsePrefix,
  parseRange,
  prefixRange,
  type Range,
  Space,
  single,
  subtract,
} from '../address/index.ts';
import type { Network } from '../model/documents.ts';
import type { Spoken } from './spoken-for.ts';

/** What somebody wants reserved in a network. */
export interface Wish {
  /** This one, or the first of `count` in a row from it. */
  address?: string;
  count?: number;
  how?: 'lowest' | 'highest' | 'spread';
  /** Behind this address. */
  after?: string;
  /** The first address is a multiple of it; a power of two. */
  align?: number;
  /** Out of this pool or scope, asked for by name. */
  pool?: string;
}

export type Chosen = { addresses: string[] } | { refused: 'outside' | 'full' | 'no-pool'; message: string };

/** Where a wish may be granted: the whole network, or the pool that was named. */
function within(network: Network, pool: string | undefined): Range | undefined {
  if (!pool) return prefixRange(parsePrefix(network.prefix));
  const span = [...network.pools, ...network.dhcp].find((s) => s.name === pool);
  return span && parseRange(span.range);
}

/**
 * The space of a network for wishes: scopes, pools and the gateway are taken, but for the pool that is named and
 * what lies in it. `taken` are the addresses that are reserved, resting ones among them; `spoken` those that the plan
 * speaks for besides.
 */
export function spaceFor(network: Network, taken: Iterable<string>, spoken: readonly Spoken[], pool?: string): Space {
  const open = within(network, pool);
  const spans = [...network.dhcp, ...network.pools.filter((p) => p.use !== 'host')];
  const held = [
    ...[...(network.gateway ? [network.gateway, ...taken] : taken)].map(single),
    ...spoken.map((s) => parseRange(s.range)),
  ];
  const closed = spans.filter((s) => s.name !== pool).map((s) => parseRange(s.range));
  // What the named pool lies inside of is opened with it, and what lies inside the pool stays closed.
  const around = pool && open ? closed.flatMap((r) => subtract(r, [open])) : closed;
  const inside = pool ? [...network.pools, ...network.dhcp].filter((s) => s.inside === pool).map((s) => parseRange(s.range)) : [];
  return new Space(parsePrefix(network.prefix), { taken: [...around, ...inside, ...held] });
}

/**
 * The addresses that a wish is granted, or why none. Those named are given as they are: whether they are free is
 * for the ledger to say. Nothing is marked as taken.
 */
export function choose(network: Network, space: Space, wish: Wish): Chosen {
  const count = wish.count ?? 1;
  const whole = prefixRange(parsePrefix(network.prefix));
  if (wish.address) {
    const a = parseIp(wish.address);
    if (!holds(whole, a) || !holds(whole, { v: a.v, n: a.n + BigInt(count - 1) }))
      return {
        refused: 'outside',
        message: `${count === 1 ? wish.address : `${count} addresses from ${wish.address}`} do not lie in ${network.prefix}`,
      };
    return { addresses: consecutive(a, count) };
  }
  const open = within(network, wish.pool);
  if (!open)
    return {
      refused: 'no-pool',
      message: `${network.name} has no pool ${wish.pool}; it has ${[...network.pools, ...network.dhcp].map((p) => p.name).join(', ') || 'none'}`,
    };
  const found = pick(space, wish, count, open);
  const where = wish.pool ? `the pool ${wish.pool} of ${network.name}` : `${network.name}, outside its DHCP scopes and pools,`;
  const what =
    count === 1 ? 'free address' : wish.how === 'spread' ? `${count} free addresses` : `${count} free addresses in a row`;
  return found
    ? { addresses: found }
    : {
        refused: 'full',
        message: `${where} has no ${what}${wish.align && wish.align > 1 ? ` from a multiple of ${wish.align}` : ''}`,
      };
}

function pick(space: Space, { how = 'lowest', after, align = 1 }: Wish, count: number, open: Range): string[] | undefined {
  const texts = (list: readonly Address[]) => (list.length === count ? list.map(formatIp) : undefined);
  if (how === 'spread') return texts(space.spread(count, open));
  if (how === 'highest' && count === 1) {
    const a = space.nextFree({ kind: 'highest' }, open);
    return a && [formatIp(a)];
  }
  const from = after ? parseIp(after).n + 1n : open.first;
  const range = { ...open, first: from > open.first ? from : open.first };
  const start = space.freeBlock(count, BigInt(align), range) ?? (after ? space.freeBlock(count, BigInt(align), open) : undefined);
  return start && consecutive(start, count);
}
