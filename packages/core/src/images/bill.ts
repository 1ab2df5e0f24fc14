import type { Bill } from '../model/documents.ts';

export interface Sizes {
  blobs: number;
  bytes: number;
  paper: number;
}
export interface Missing extends Sizes {
  digests: string[];
  manifests: string[];
  images: string[];
}

/** Bills are never changed: what is read off one is kept as long as it lives. */
const entries = new WeakMap<Bill, [string, { bytes: number; paper: number }][]>();
function blobsOf(bill: Bill) {
  let list = entries.get(bill);
  if (!list) {
    list = Object.entries(bill.blobs);
    entries.set(bill, list);
  }
  return list;
}

const many = (bills: Bill | readonly Bill[]): readonly Bill[] => (Array.isArray(bills) ? bills : [bills as Bill]);

const whole = new WeakMap<Bill, Sizes>();

/** Size of one or several bills, every blob once. */
export function sizeOf(bills: Bill | readonly Bill[]): Sizes {
  const list = many(bills);
  const known = list.length === 1 ? whole.get(list[0] as Bill) : undefined;
  if (known) return { ...known };
  const out = { blobs: 0, bytes: 0, paper: 0 };
  const seen = list.length > 1 ? new Set<string>() : undefined;
  for (const bill of list)
    for (const [digest, s] of blobsOf(bill)) {
      if (seen?.has(digest)) continue;
      seen?.add(digest);
      out.blobs++;
      out.bytes += s.bytes;
      out.paper += s.paper;
    }
  if (list.length === 1) whole.set(list[0] as Bill, { ...out });
  return out;
}

/** What a registry that holds `held` lacks of one or several bills: blobs, manifests, and the images that wait for them. */
export function missing(bills: Bill | readonly Bill[], held: ReadonlySet<string>): Missing {
  const out: Missing = { blobs: 0, bytes: 0, paper: 0, digests: [], manifests: [], images: [] };
  const lack = new Set<string>();
  const manifests = new Set<string>();
  for (const bill of many(bills)) {
    for (const [digest, s] of blobsOf(bill)) {
      if (held.has(digest) || lack.has(digest)) continue;
      lack.add(digest);
      out.blobs++;
      out.bytes += s.bytes;
      out.paper += s.paper;
    }
    for (const image of bill.images) {
      let waits = false;
      for (const m of image.manifests)
        if (!held.has(m)) {
          manifests.add(m);
          waits = true;
        }
      if (waits || (lack.size > 0 && image.blobs.some((b) => lack.has(b)))) out.images.push(image.ref);
    }
  }
  return { ...out, digests: [...lack], manifests: [...manifests] };
}

const sets = new WeakMap<readonly string[], ReadonlySet<string>>();
/** The digests of a list as a set, made once for a list. */
export function heldSet(digests: readonly string[] | undefined): ReadonlySet<string> {
  if (!digests) return new Set();
  let set = sets.get(digests);
  if (!set) {
    set = new Set(digests);
    sets.set(digests, set);
  }
  return set;
}

/** Several bills as one: each blob once. */
export function joinBills(name: string, bills: readonly Bill[]): Bill {
  return {
    name,
    at:
      bills
        .map((b) => b.at)
        .sort()
        .at(-1) ?? '1970-01-01T00:00:00Z',
    images: bills.flatMap((b) => b.images),
    blobs: Object.assign({}, ...bills.map((b) => b.blobs)),
  };
}

/** 8.7 GB, 41 MB, 990 kB: three figures, powers of 1000. */
export function bytesText(n: number): string {
  const units = ['B', 'kB', 'MB', 'GB', 'TB', 'PB'];
  let i = 0;
  let v = n;
  while (v >= 999.5 && i < units.length - 1) {
    v /= 1000;
    i++;
  }
  return `${v >= 100 || i === 0 ? Math.round(v) : v >= 10 ? Number(v.toFixed(1)).toString() : v.toFixed(1)} ${units[i]}`;
}
