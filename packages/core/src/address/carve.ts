import { bits, formatPrefix, parsePrefix, type Prefix, prefixRange, type Range } from './parse.ts';
import { Space } from './space.ts';

/** The lowest prefix of `length` inside `parent` that overlaps nothing taken; undefined when there is none. */
export function carve(parent: Prefix, taken: Iterable<Range>, length: number, from = parent.n): Prefix | undefined {
  if (length < parent.length || length > bits(parent.v)) return undefined;
  const space = new Space(parent, { ends: 'free', taken: [...taken] });
  const step = 1n << BigInt(bits(parent.v) - length);
  const start = space.freeBlock(step, step, { v: parent.v, first: from, last: prefixRange(parent).last });
  return start && { ...start, length };
}

/**
 * The next prefix of the same length behind `near` that overlaps nothing taken: inside the private or unique
 * local block that `near` lies in (RFC 1918, RFC 4193), else in the whole of its version.
 */
export function nextPrefix(near: Prefix, taken: readonly Range[]): Prefix | undefined {
  const around = privateBlock(near);
  const behind = near.n + (1n << BigInt(bits(near.v) - near.length));
  return carve(around, taken, near.length, behind) ?? carve(around, taken, near.length);
}

/** The private or unique local block that a prefix lies in (RFC 1918, RFC 4193); without one all of its version. */
export const privateBlock = (near: Prefix): Prefix =>
  blocks.find((b) => b.v === near.v && inside(near, b)) ?? { v: near.v, n: 0n, length: 0 };

/**
 * A block around a prefix with room for 32 of its length, within the private or unique local block that it lies in (RFC 1918, RFC 4193);
 * itself where it lies in none.
 */
export function blockAround(text: string): string {
  const p = parsePrefix(text);
  const whole = blocks.find((b) => b.v === p.v && inside(p, b));
  if (!whole) return text;
  const length = Math.max(whole.length, p.length - 5);
  const keep = BigInt(bits(p.v) - length);
  return formatPrefix({ v: p.v, n: (p.n >> keep) << keep, length });
}

const blocks: Prefix[] = [
  { v: 4, n: 0x0a000000n, length: 8 },
  { v: 4, n: 0xac100000n, length: 12 },
  { v: 4, n: 0xc0a80000n, length: 16 },
  { v: 6, n: 0xfd000000000000000000000000000000n, length: 8 },
];
const inside = (p: Prefix, b: Prefix) => {
  const r = prefixRange(b);
  return p.length >= b.length && r.first <= p.n && p.n <= r.last;
};
