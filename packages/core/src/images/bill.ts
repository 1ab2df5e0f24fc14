import type { Bill, SeenRegistry } from '../model/observed.ts';
import { type Keeping, keptAt } from './mirror.ts';

export interface Sizes {
  blobs: number;
  bytes: number;
  declaredBytes: number;
}
export interface Missing extends Sizes {
  digests: string[];
  manifests: string[];
  images: string[];
}

/** Bills are never changed: what is read off one is kept as long as it lives. */
const entries = new WeakMap<Bill, [string, { bytes: number; declaredBytes: number }][]>();
function blobsOf(bill: Bill) {
  let list = entries.get(bill);
  if (!list) {
    list = Object.entries(bill.blobs);
    entries.set(bill, list);
  }
  return list;
}

const many = (bills: Bill | readonly Bill[]): readonly Bill[] => (Array.isArray(bills) ? bills : [bills as Bill]);

/** Several bills are joined over and over in the same company, and held against the same registry: known once, known. */
interface MemoEntry<T> {
  bills: readonly Bill[];
  held: ReadonlySet<string> | undefined;
  known: T;
}
function memoizeBills<T>(compute: (bills: readonly Bill[], held: ReadonlySet<string> | undefined) => T) {
  const memory = new WeakMap<Bill, MemoEntry<T>[]>();
  return (bills: readonly Bill[], held?: ReadonlySet<string>): T => {
    const [first] = bills;
    if (!first) return compute(bills, held);
    const list = memory.get(first) ?? [];
    const found = list.find((c) => c.held === held && c.bills.length === bills.length && c.bills.every((b, i) => b === bills[i]));
    if (found) return found.known;
    const known = compute(bills, held);
    // A registry that is looked at again has another set: the old company is of no use any more.
    memory.set(first, [...list.slice(-15), { bills: [...bills], held, known }]);
    return known;
  };
}

/** Size of one or several bills, every blob once. */
export const sizeOf = (bills: Bill | readonly Bill[]): Sizes => ({ ...sizes(many(bills)) });
const sizes = memoizeBills((list): Sizes => {
  const out = { blobs: 0, bytes: 0, declaredBytes: 0 };
  const seen = list.length > 1 ? new Set<string>() : undefined;
  for (const bill of list)
    for (const [digest, s] of blobsOf(bill)) {
      if (seen?.has(digest)) continue;
      seen?.add(digest);
      out.blobs++;
      out.bytes += s.bytes;
      out.declaredBytes += s.declaredBytes;
    }
  return out;
});

/** What a registry that holds `held` lacks of one or several bills: blobs, manifests, and the images that wait for them. */
export const missing = (bills: Bill | readonly Bill[], held: ReadonlySet<string>): Missing => ({ ...lacking(many(bills), held) });
const lacking = memoizeBills((bills, held = new Set<string>()): Missing => {
  const out: Missing = { blobs: 0, bytes: 0, declaredBytes: 0, digests: [], manifests: [], images: [] };
  const lack = new Set<string>();
  const manifests = new Set<string>();
  const place = held instanceof Held && held.named ? held : undefined;
  for (const bill of bills) {
    for (const [digest, s] of blobsOf(bill)) {
      if (held.has(digest) || lack.has(digest)) continue;
      lack.add(digest);
      out.blobs++;
      out.bytes += s.bytes;
      out.declaredBytes += s.declaredBytes;
    }
    for (const image of bill.images) {
      let waits = false;
      for (const m of image.manifests)
        if (!held.has(m)) {
          manifests.add(m);
          waits = true;
        }
      // A name that another release had brought under another tag is not answered to, whatever the store holds.
      if (place && !held.has(nameAt(image, place))) waits = true;
      if (waits || (lack.size > 0 && image.blobs.some((b) => lack.has(b)))) out.images.push(image.ref);
    }
  }
  return { ...out, digests: [...lack], manifests: [...manifests] };
});

/** The name under which a registry answers to an image: repository:tag@digest, or its digest where it has no tag. */
export function nameAt(image: Bill['images'][number], registry: Keeping | undefined): string {
  const { repository, tag } = keptAt(image.ref, registry);
  return tag ? `${repository}:${tag}@${image.digest}` : image.digest;
}

/** What a registry holds: digests and, where they are known, the names it answers to; with where it keeps what. */
export class Held extends Set<string> {
  constructor(
    digests: readonly string[],
    readonly named: boolean,
    readonly keeps: Keeping['keeps'],
  ) {
    super(digests);
  }
}
const sets = new WeakMap<SeenRegistry, Held>();
/** What a registry was seen to hold, as a set that is made once for what was seen. */
export function heldBy(seen: SeenRegistry | undefined, registry: Keeping | undefined): Held {
  if (!seen) return new Held([], false, undefined);
  let set = sets.get(seen);
  if (!set || set.keeps !== registry?.keeps) {
    set = new Held(seen.names ? [...seen.digests, ...seen.names] : seen.digests, seen.names !== undefined, registry?.keeps);
    sets.set(seen, set);
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
