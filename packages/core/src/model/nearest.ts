/** The candidate with the smallest edit distance to `word`, if it is near enough to be a slip of the hand. */
export function nearest(word: string, candidates: readonly string[]): string | undefined {
  let best: string | undefined;
  let least = Math.max(2, Math.floor(word.length / 3)) + 1;
  for (const candidate of candidates) {
    const d = distance(word.toLowerCase().slice(0, 64), candidate.toLowerCase());
    if (d < least) {
      least = d;
      best = candidate;
    }
  }
  return best;
}

function distance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, j) => j);
  for (let i = 1; i <= a.length; i++) {
    const next = [i];
    for (let j = 1; j <= b.length; j++)
      next[j] = Math.min((row[j] ?? 0) + 1, (next[j - 1] ?? 0) + 1, (row[j - 1] ?? 0) + (a[i - 1] === b[j - 1] ? 0 : 1));
    row = next;
  }
  return row[b.length] ?? 0;
}
