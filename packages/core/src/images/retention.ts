import { billsOf } from '../model/bills.ts';
import { compare, valid } from 'semver';
import { z } from 'zod';
import type { Bill } from '../model/observed.ts';
import type { Estate } from '../model/estate.ts';
import { heldBy, nameAt } from './bill.ts';
import { keptAt } from './mirror.ts';

/** A release or add-on that a registry must go on holding, with each reason. */
export const Stays = z.strictObject({ bill: z.string(), why: z.array(z.string()) });
export type Stays = z.infer<typeof Stays>;
export const Goes = z.strictObject({
  bill: z.string(),
  /** Images that go with it: those that no staying bill names. */
  images: z.array(z.string()),
  /** Bytes that only this one holds. What two that go share comes free with both: see `free`. */
  declaredBytes: z.number(),
});
export type Goes = z.infer<typeof Goes>;
export const Retention = z.strictObject({
  stays: z.array(Stays),
  goes: z.array(Goes),
  /** Names that no bill known here has: somebody else's, and left alone. */
  unknown: z.array(z.string()),
  /** What is deleted: names, then the manifests that no name holds any more. */
  deletes: z.array(z.strictObject({ repository: z.string(), tag: z.string().optional(), digest: z.string() })),
  free: z.strictObject({ blobs: z.number(), bytes: z.number(), declaredBytes: z.number() }),
});
export type Retention = z.infer<typeof Retention>;
export interface Keep {
  /** The newest releases of what is held that stay whether somebody uses them or not. */
  last: number;
  /** Bills that a shipment under way brings here, or takes from here to somewhere else. */
  moving?: readonly { bill: string; shipment: string }[];
}

/**
 * What may go from a registry, what may not and why, and the bytes that come free: an image goes when no bill that
 * stays names it, and a blob when no image that stays or is unknown holds it. What is not known keeps what it holds.
 */
export function deletable(estate: Estate, registry: string, keep: Keep): Retention {
  const seen = estate.observed.registries[registry];
  const place = estate.registries.find((r) => r.name === registry);
  const held = heldBy(seen, place);
  const bills = [...estate.releases, ...estate.addons].flatMap((d) => estate.observed.bills[d.name] ?? []);
  // One manifest may have many names: what is held is the name, where names are known.
  const stands = (i: Bill['images'][number]) => held.has(held.named ? nameAt(i, place) : i.digest);
  const here = bills.filter((b) => b.images.some(stands));
  const stays = new Map<string, string[]>();
  const stay = (bill: string, why: string) => stays.set(bill, [...(stays.get(bill) ?? []), why]);
  for (const c of estate.charters.filter((x) => registry === x.mirror)) {
    const serves = estate.hosts.some((h) => h.held?.charter === c.name && h.state === 'serving');
    for (const b of billsOf(c)) stay(b, serves ? `${c.name} runs on it` : `the draft of ${c.name} asks for it`);
  }
  for (const m of keep.moving ?? []) stay(m.bill, `shipment ${m.shipment} moves it`);
  const newest = estate.releases
    .filter((r) => valid(r.version) && here.some((b) => b.name === r.name))
    .sort((a, b) => compare(b.version, a.version))
    .slice(0, keep.last);
  for (const r of newest) stay(r.name, keep.last === 1 ? 'it is the newest' : `it is one of the newest ${keep.last}`);

  const staying = here.filter((b) => stays.has(b.name));
  const going = here.filter((b) => !stays.has(b.name));
  const keptRefs = new Set(staying.flatMap((b) => b.images.map((i) => i.ref)));
  const keptBlobs = new Set<string>();
  for (const b of staying) for (const i of b.images) for (const d of [i.digest, ...i.manifests, ...i.blobs]) keptBlobs.add(d);

  const known = new Set(bills.flatMap((b) => b.images.map((i) => nameAt(i, place))));
  const unknown = (seen?.names ?? []).filter((n) => !known.has(n));
  const out: Retention = {
    stays: staying.map((b) => ({ bill: b.name, why: stays.get(b.name) ?? [] })),
    goes: [],
    unknown,
    deletes: [],
    free: { blobs: 0, bytes: 0, declaredBytes: 0 },
  };
  const holders = new Map<string, number>();
  const gone = new Map<string, Bill['images'][number]>();
  for (const b of going) {
    const images = b.images.filter((i) => !keptRefs.has(i.ref) && stands(i));
    for (const i of images) gone.set(i.ref, i);
    const blobs = new Set(images.flatMap((i) => i.blobs).filter((d) => !keptBlobs.has(d) && held.has(d)));
    for (const d of blobs) holders.set(d, (holders.get(d) ?? 0) + 1);
    out.goes.push({ bill: b.name, images: images.map((i) => i.ref), declaredBytes: 0 });
  }
  for (const [n, b] of going.entries()) {
    const goes = out.goes[n] as Goes;
    const mine = new Set(b.images.filter((i) => goes.images.includes(i.ref)).flatMap((i) => i.blobs));
    for (const d of mine) if (holders.get(d) === 1) goes.declaredBytes += b.blobs[d]?.declaredBytes ?? 0;
  }
  const sizes = new Map(going.flatMap((b) => Object.entries(b.blobs)));
  for (const d of holders.keys()) {
    const s = sizes.get(d);
    out.free.blobs++;
    out.free.bytes += s?.bytes ?? 0;
    out.free.declaredBytes += s?.declaredBytes ?? 0;
  }
  for (const i of [...gone.values()].sort((a, b) => (a.ref < b.ref ? -1 : 1))) {
    const { repository, tag } = keptAt(i.ref, place);
    out.deletes.push({ repository, digest: i.digest, ...(tag ? { tag } : {}) });
  }
  return out;
}
