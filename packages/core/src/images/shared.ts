import type { Bill } from '../model/observed.ts';

export interface Shared {
  a: string;
  b: string;
  declaredBytes: number;
  blobs: number;
}

/** What each pair of bills has in common, most first; pairs that share nothing are left out. */
export function sharedBetween(bills: readonly Bill[]): Shared[] {
  const out: Shared[] = [];
  for (const [n, a] of bills.entries())
    for (const b of bills.slice(n + 1)) {
      // The smaller one is walked.
      const [few, many] = Object.keys(a.blobs).length < Object.keys(b.blobs).length ? [a, b] : [b, a];
      let declaredBytes = 0;
      let blobs = 0;
      for (const d in few.blobs)
        if (many.blobs[d]) {
          declaredBytes += few.blobs[d]?.declaredBytes ?? 0;
          blobs++;
        }
      if (blobs) out.push({ a: a.name, b: b.name, declaredBytes, blobs });
    }
  return out.sort((x, y) => y.declaredBytes - x.declaredBytes || (x.a + x.b < y.a + y.b ? -1 : 1));
}
