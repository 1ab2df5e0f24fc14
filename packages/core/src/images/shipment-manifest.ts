import { z } from 'zod';
import type { Bill } from '../model/observed.ts';
import { Digest } from '../model/words.ts';
import type { CasePlan } from './cases.ts';
import { type Keeping, keptAt } from './mirror.ts';

/**
 * What a shipment on media says of itself, the same text in every case: which images come, of which blobs they are
 * made, and in which case each piece of each blob travels. Any one case tells what the others must hold.
 */
const bytes = z.number().int().nonnegative().max(Number.MAX_SAFE_INTEGER);
const Repository = z
  .string()
  .regex(/^[a-z0-9]+([._/-]+[a-z0-9]+)*$/)
  .max(255);
export const ShipmentManifest = z
  .strictObject({
    apiVersion: z.literal('praesidor/v1'),
    kind: z.literal('ShipmentManifest'),
    shipment: z.string().regex(/^[A-Za-z0-9][A-Za-z0-9._-]{0,69}$/),
    at: z.string().max(40),
    from: z.string().max(300),
    to: z.string().max(300),
    bills: z.array(z.string().max(80)).max(500),
    images: z
      .array(
        z.strictObject({
          repository: Repository,
          /** Where it stands at the source, where that is another path. */
          from: Repository.optional(),
          tag: z.string().max(128).optional(),
          digest: Digest,
          /** In the order in which they are put: what an index names comes before it. */
          manifests: z
            .array(z.strictObject({ digest: Digest, bytes }))
            .min(1)
            .max(50),
          blobs: z.array(Digest).max(5000),
        }),
      )
      .max(100_000),
    /** Every blob that some image has, with its size; those that travel are in `cases`, the others stand at the target. */
    blobs: z.record(Digest, bytes),
    /** Repositories at the target in which blobs that do not travel may stand, so that they are linked and not asked for. */
    stands: z.record(Digest, z.array(Repository).max(100)).optional(),
    cases: z
      .array(
        z.strictObject({
          number: z.number().int().min(1).max(10_000),
          bytes,
          pieces: z.array(
            z.strictObject({
              digest: Digest,
              from: bytes,
              to: bytes,
              /** Of a part: its own checksum. A whole blob is its digest. */
              sha256: z
                .string()
                .regex(/^[0-9a-f]{64}$/)
                .optional(),
            }),
          ),
        }),
      )
      .min(1)
      .max(10_000),
  })
  .superRefine((w, ctx) => {
    // A manifest comes from outside: what it says of pieces must add up, or nothing of it is believed.
    const at = new Map<string, { from: number; to: number }[]>();
    for (const c of w.cases)
      for (const p of c.pieces) {
        const size = w.blobs[p.digest];
        if (size === undefined || p.from > p.to || p.to > size)
          ctx.addIssue({
            code: 'custom',
            message: `case ${c.number} says it holds bytes that ${p.digest.slice(0, 19)} does not have`,
          });
        at.set(p.digest, [...(at.get(p.digest) ?? []), p]);
      }
    for (const [digest, list] of at) {
      let end = 0;
      for (const p of [...list].sort((a, b) => a.from - b.from)) {
        if (p.from !== end) ctx.addIssue({ code: 'custom', message: `the pieces of ${digest.slice(0, 19)} do not join` });
        end = p.to;
      }
      if (end !== w.blobs[digest])
        ctx.addIssue({ code: 'custom', message: `the pieces of ${digest.slice(0, 19)} are not all of it` });
    }
    for (const i of w.images)
      for (const b of i.blobs)
        if (w.blobs[b] === undefined)
          ctx.addIssue({ code: 'custom', message: `${i.repository} names ${b.slice(0, 19)}, whose size is not told` });
  });
export type ShipmentManifest = z.infer<typeof ShipmentManifest>;
export type ShipmentPiece = ShipmentManifest['cases'][number]['pieces'][number];

export const isPart = (w: Pick<ShipmentManifest, 'blobs'>, p: ShipmentPiece): boolean =>
  p.from !== 0 || p.to !== w.blobs[p.digest];
/** Where a piece lies in its case. */
export const pathOf = (w: Pick<ShipmentManifest, 'blobs'>, p: ShipmentPiece): string =>
  isPart(w, p) ? `parts/${p.digest.slice(7)}.${p.from}` : `blobs/sha256/${p.digest.slice(7)}`;

/** What the descriptions in every case take at most, in bytes: manifest, index, checksums, and all manifests. */
export const overheadOf = (images: ShipmentManifest['images'], blobs: number): number =>
  4096 +
  images.reduce((n, i) => n + 400 + i.manifests.reduce((k, m) => k + m.bytes + 400, 0) + 80 * i.blobs.length, 0) +
  420 * blobs;

/** The same before any manifest was read: each is taken for as large as they usually are. */
export const usualOverhead = (bill: Bill, refs: ReadonlySet<string>, blobs: number): number =>
  overheadOf(
    wantedImages(bill, refs, undefined, undefined).map((i) => ({
      ...i,
      manifests: i.manifests.map((m) => ({ ...m, bytes: 1500 })),
    })),
    blobs,
  );

/**
 * The images of some bills of which something has to travel from one registry to another, as a manifest names them: where
 * the target keeps them, and the source. Manifest sizes are filled in while packing.
 */
export function wantedImages(
  bill: Bill,
  refs: ReadonlySet<string>,
  source: Keeping | undefined,
  target: Keeping | undefined,
): ShipmentManifest['images'] {
  return bill.images
    .filter((i) => refs.has(i.ref))
    .map((i) => {
      const { repository, tag } = keptAt(i.ref, target);
      const from = keptAt(i.ref, source).repository;
      return {
        repository,
        ...(from === repository ? {} : { from }),
        ...(tag ? { tag } : {}),
        digest: i.digest,
        manifests: i.manifests.map((digest) => ({ digest, bytes: 0 })),
        blobs: i.blobs,
      };
    });
}

export interface Draft {
  shipment: string;
  at: string;
  from: string;
  to: string;
  bills: string[];
}
/** A manifest from images, sizes and a plan of cases. */
export const shipmentManifestOf = (
  d: Draft,
  images: ShipmentManifest['images'],
  blobs: ShipmentManifest['blobs'],
  plan: CasePlan,
  stands: Record<string, string[]> = {},
): ShipmentManifest => ({
  apiVersion: 'praesidor/v1',
  kind: 'ShipmentManifest',
  ...d,
  images,
  blobs,
  ...(Object.keys(stands).length ? { stands } : {}),
  cases: plan.cases.map((c) => ({ number: c.number, bytes: c.bytes, pieces: c.pieces })),
});

/** What is wrong with the cases of a shipment, as they were found. */
export interface Found {
  /** Cases that are here and readable, with the paths in them that are damaged or not there. */
  cases: { number: number; bad: { path: string; why: string }[] }[];
}
export interface Repair {
  /** Cases that are not here at all. */
  missing: number[];
  damaged: { case: number; path: string; why: string }[];
  /** Blobs of which a piece is lacking: what the smallest repair shipment carries. */
  digests: string[];
  bytes: number;
  /** Images that wait for it. */
  images: string[];
}

/** The smallest shipment that makes good what is missing or damaged; a blob in parts is lacking only in those parts' bytes. */
export function repairOf(w: ShipmentManifest, found: Found, landed: ReadonlySet<string> = new Set()): Repair {
  const lacking = new Map<string, number>();
  const damaged: Repair['damaged'] = [];
  const here = new Map(found.cases.map((c) => [c.number, new Map(c.bad.map((b) => [b.path, b.why]))]));
  for (const c of w.cases) {
    const bad = here.get(c.number);
    for (const p of c.pieces) {
      if (landed.has(p.digest)) continue;
      const why = bad?.get(pathOf(w, p));
      if (bad && !why) continue;
      lacking.set(p.digest, (lacking.get(p.digest) ?? 0) + p.to - p.from);
    }
    for (const [path, why] of bad ?? []) damaged.push({ case: c.number, path, why });
  }
  return {
    missing: w.cases.filter((c) => !here.has(c.number)).map((c) => c.number),
    damaged,
    digests: [...lacking.keys()].sort(),
    bytes: [...lacking.values()].reduce((a, b) => a + b, 0),
    images: w.images
      .filter((i) => i.blobs.some((b) => lacking.has(b)))
      .map((i) => `${i.repository}${i.tag ? `:${i.tag}` : `@${i.digest}`}`),
  };
}
