/** The value below which a share `q` (0 to 1) of the list lies, between its neighbours in proportion. @throws RangeError for an empty list */
export function quantile(list: readonly number[], q: number): number {
  if (!list.length) throw new RangeError('of no values there is none in the middle');
  const sorted = [...list].sort((a, b) => a - b);
  const at = (sorted.length - 1) * q;
  const low = Math.floor(at);
  const a = sorted[low] as number;
  const b = sorted[Math.min(low + 1, sorted.length - 1)] as number;
  return a + (b - a) * (at - low);
}
