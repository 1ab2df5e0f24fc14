import type { Range } from './parse.ts';

/**
 * All overlapping pairs among N ranges, each pair once, in O(N log N + pairs): a sweep over the sorted
 * starts that keeps what is still open.
 */
export function overlappingPairs<T extends Range>(ranges: readonly T[]): [T, T][] {
  const sorted = [...ranges].sort((a, b) => a.v - b.v || (a.first < b.first ? -1 : a.first > b.first ? 1 : 0));
  const pairs: [T, T][] = [];
  let open: T[] = [];
  for (const range of sorted) {
    open = open.filter((o) => o.v === range.v && o.last >= range.first);
    for (const o of open) pairs.push([o, range]);
    open.push(range);
  }
  return pairs;
}
