import type { Range } from './parse.ts';

/**
 * Tells of every overlapping pair among N ranges, each once, in O(N log N + pairs): a sweep over the sorted starts
 * that keeps what is still open. Nothing is stored.
 */
export function eachOverlap<T extends Range>(ranges: readonly T[], found: (a: T, b: T) => void): void {
  const four = ranges.filter((r) => r.v === 4);
  const six = ranges.filter((r) => r.v === 6).sort((a, b) => (a.first < b.first ? -1 : a.first > b.first ? 1 : 0));
  // Ends of IPv4 are kept as doubles, which compare many times faster than big integers.
  const firsts = new Float64Array(four.length);
  const lasts = new Float64Array(four.length);
  for (const [i, r] of four.entries()) {
    firsts[i] = Number(r.first);
    lasts[i] = Number(r.last);
  }
  sweep(
    byStart(firsts),
    (i) => firsts[i] as number,
    (i) => lasts[i] as number,
    (a, b) => found(four[a] as T, four[b] as T),
  );
  sweep(
    six.keys(),
    (i) => (six[i] as T).first,
    (i) => (six[i] as T).last,
    (a, b) => found(six[a] as T, six[b] as T),
  );
}

/** All overlapping pairs among N ranges, each once. */
export function overlappingPairs<T extends Range>(ranges: readonly T[]): [T, T][] {
  const pairs: [T, T][] = [];
  eachOverlap(ranges, (a, b) => pairs.push([a, b]));
  return pairs;
}

const places = 2 ** 21;

/** Places in order of their starts. Start (32 bits) and place (21 bits) share one double, and doubles sort without being asked about. */
function byStart(firsts: Float64Array): Uint32Array {
  if (firsts.length > places)
    return Uint32Array.from(firsts.keys()).sort((a, b) => (firsts[a] as number) - (firsts[b] as number));
  const keys = new Float64Array(firsts.length);
  for (let i = 0; i < keys.length; i++) keys[i] = (firsts[i] as number) * places + i;
  keys.sort();
  const order = new Uint32Array(keys.length);
  for (let k = 0; k < order.length; k++) order[k] = (keys[k] as number) - Math.floor((keys[k] as number) / places) * places;
  return order;
}

/** Goes over the starts in order; what has ended is closed up on the way, and what is left overlaps the one that begins. */
function sweep<N extends number | bigint>(
  order: Iterable<number>,
  first: (i: number) => N,
  last: (i: number) => N,
  found: (a: number, b: number) => void,
): void {
  const open: number[] = [];
  for (const item of order) {
    const begins = first(item);
    let kept = 0;
    for (let k = 0; k < open.length; k++) {
      const o = open[k] as number;
      if (last(o) < begins) continue;
      open[kept++] = o;
      found(o, item);
    }
    while (open.length > kept) open.pop();
    open.push(item);
  }
}
