import type { Bill } from '../model/documents.ts';

export interface Sizes { blobs: number; bytes: number; paper: number }
export interface Missing extends Sizes { digests: string[]; manifests: string[]; images: string[] }

export const sizeOf = (bill: Bill): Sizes => tally(bill, Object.keys(bill.blobs));

function tally(bill: Bill, digests: readonly string[]): Sizes {
  let bytes = 0; let paper = 0;
  for (const d of digests) { bytes += bill.blobs[d]?.bytes ?? 0; paper += bill.blobs[d]?.paper ?? 0; }
  return { blobs: digests.length, bytes, paper };
}

/** What a registry that holds `held` lacks of a bill: blobs, manifests, and the images that wait for them. */
export function missing(bill: Bill, held: ReadonlySet<string>): Missing {
  const digests = Object.keys(bill.blobs).filter((d) => !held.has(d));
  const lack = new Set(digests);
  const images: string[] = []; const manifests = new Set<string>();
  for (const image of bill.images) {
    const absent = image.manifests.filter((m) => !held.has(m));
    for (const m of absent) manifests.add(m);
    if (absent.length || image.blobs.some((b) => lack.has(b))) images.push(image.ref);
  }
  return { ...tally(bill, digests), digests, manifests: [...manifests], images };
}

/** Several bills as one: each blob once. */
export function joinBills(name: string, bills: readonly Bill[]): Bill {
  return { name, at: bills.map((b) => b.at).sort().at(-1) ?? '1970-01-01T00:00:00Z', images: bills.flatMap((b) => b.images), blobs: Object.assign({}, ...bills.map((b) => b.blobs)) };
}

/** 8.7 GB, 41 MB, 990 kB: three figures, powers of 1000. */
export function bytesText(n: number): string {
  const units = ['B', 'kB', 'MB', 'GB', 'TB', 'PB'];
  let i = 0; let v = n;
  while (v >= 999.5 && i < units.length - 1) { v /= 1000; i++; }
  return `${v >= 100 || i === 0 ? Math.round(v) : v >= 10 ? Number(v.toFixed(1)).toString() : v.toFixed(1)} ${units[i]}`;
}
