import type { Range } from './parse.ts';

/** Ends as numbers where they fit (IPv4): they compare much faster than big integers do. */
interface Item<T> {
  range: T;
  v: 4 | 6;
  first: number | bigint;
  last: number | bigint;
}

/**
 * All overlapping pairs among N ranges, each pair once, in O(N log N + pairs): a sweep over the sorted
 * starts that keeps what is still open.
 */
export function overlappingPairs<T extends Range>(ranges: readonly T[]): [T, T][] {
  const sorted = ranges
    .map(
      (range): Item<T> =>
        range.v === 4
          ? { range, v: 4, first: Number(range.first), last: Number(range.last) }
          : { range, v: 6, first: range.first, last: range.last },
    )
    .sort((a, b) => a.v - b.v || (a.first < b.first ? -1 : a.first > b.first ? 1 : 0));
  const pairs: [T, T][] = [];
  const open: Item<T>[] = [];
  for (const item of sorted) {
    // What has ended is closed up on the way; what is left overlaps the one that begins here.
    let kept = 0;
    for (const o of open) {
      if (o.v !== item.v || o.last < item.first) continue;
      open[kept++] = o;
      pairs.push([o.range, item.range]);
    }
    open.length = kept;
    open.push(item);
  }
  return pairs;
}
