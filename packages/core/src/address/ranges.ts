import { type Address, bits, contains, type Prefix, prefixRange, type Range } from './parse.ts';

/** The smallest list of prefixes that is exactly the range, in order. At most 2 × 32 or 2 × 128 of them. */
export function prefixesOf(r: Range): Prefix[] {
  const out: Prefix[] = [];
  let n = r.first;
  while (n <= r.last) {
    let host = 0;
    while (host < bits(r.v) && (n >> BigInt(host)) % 2n === 0n && n + (1n << BigInt(host + 1)) - 1n <= r.last) host++;
    out.push({ v: r.v, n, length: bits(r.v) - host });
    n += 1n << BigInt(host);
  }
  return out;
}

/** Ranges in order, those that touch or overlap made one. */
export function joined(ranges: readonly Range[]): Range[] {
  const sorted = [...ranges].sort((a, b) => a.v - b.v || (a.first < b.first ? -1 : a.first > b.first ? 1 : 0));
  const out: Range[] = [];
  for (const r of sorted) {
    const near = out.at(-1);
    if (near && near.v === r.v && r.first <= near.last + 1n) {
      if (r.last > near.last) near.last = r.last;
    } else out.push({ ...r });
  }
  return out;
}

/** The fewest prefixes that hold exactly what the given ones hold together. */
export const aggregate = (prefixes: readonly Prefix[]): Prefix[] => joined(prefixes.map(prefixRange)).flatMap(prefixesOf);

/** What is left of a range without others, as ranges in order. */
export function subtract(from: Range, others: readonly Range[]): Range[] {
  const out: Range[] = [];
  let n = from.first;
  for (const r of joined(others.filter((o) => o.v === from.v))) {
    if (r.last < n || r.first > from.last) continue;
    if (r.first > n) out.push({ v: from.v, first: n, last: r.first - 1n });
    n = r.last + 1n;
  }
  if (n <= from.last) out.push({ v: from.v, first: n, last: from.last });
  return out;
}

/**
 * The children of a prefix at a length. @throws Error when the length is not below the prefix, or when there
 * would be more than `most` of them.
 */
export function splitPrefix(p: Prefix, length: number, most = 4096): Prefix[] {
  if (length <= p.length || length > bits(p.v)) throw new Error(`/${length} is not below /${p.length}`);
  const count = 1n << BigInt(length - p.length);
  if (count > BigInt(most)) throw new Error(`that would be ${count} prefixes; at most ${most} are made at once`);
  const step = 1n << BigInt(bits(p.v) - length);
  return Array.from({ length: Number(count) }, (_, i) => ({ v: p.v, n: p.n + BigInt(i) * step, length }));
}

/** The prefix that two of one length make together, when they are its two halves. */
export function mergePrefixes(a: Prefix, b: Prefix): Prefix | undefined {
  if (a.v !== b.v || a.length !== b.length || a.length === 0) return undefined;
  const parent = parentOf(a, a.length - 1);
  return a.n !== b.n && contains(prefixRange(parent), prefixRange(b)) ? parent : undefined;
}

/** The prefix of a shorter length around one. */
export function parentOf(p: Address, length: number): Prefix {
  const host = BigInt(bits(p.v) - length);
  return { v: p.v, n: (p.n >> host) << host, length };
}
