/**
 * What can be kept in `copies` copies on hosts of these sizes, no two of one on the same: the largest T with sum(min(size, T)) ≥ copies × T. A host that is larger than
 * what is kept has nothing to do with the rest of its room.
 *
 * @example usable([4, 4, 2], 2) // 5: of 10 the half
 * usable([8, 1, 1], 2) // 2: the large one finds no more to share with
 */
export function usable(sizes: readonly number[], copies: number): number {
  if (copies < 1 || sizes.length < copies) return 0;
  const sorted = [...sizes].sort((a, b) => b - a);
  // Where the k largest are larger than T, each gives T: T × k + rest ≥ copies × T.
  let rest = sorted.reduce((sum, s) => sum + s, 0);
  for (let k = 0; k < copies; k++) {
    const t = rest / (copies - k);
    if ((sorted[k] ?? 0) <= t) return t;
    rest -= sorted[k] as number;
  }
  return 0;
}

/** Room for volumes of a cluster, in GB: all of it, after copies, after the largest host is lost, and when a part is kept free. */
export interface UsableRoom {
  raw: number;
  withCopies: number;
  afterLoss: number;
  afterReserve: number;
}
/** What is kept free of it, so that copies can be made anew and snapshots have room: a fifth. */
export const reserve = 0.2;

export function usableRoom(sizes: readonly number[], copies: number): UsableRoom {
  const withCopies = usable(sizes, copies);
  const left = [...sizes].sort((a, b) => b - a).slice(1);
  const afterLoss = usable(left, Math.min(copies, Math.max(1, left.length)));
  return {
    raw: sizes.reduce((sum, s) => sum + s, 0),
    withCopies,
    afterLoss: Math.min(withCopies, afterLoss),
    afterReserve: Math.min(withCopies, afterLoss) * (1 - reserve),
  };
}
