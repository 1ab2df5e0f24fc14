import {
  isPart,
  overheadOf,
  pathOf,
  splitIntoCases,
  type ShipmentManifest,
  shipmentManifestOf,
  type Draft,
  type ShipmentPiece,
} from '@praesidor/core/images';
import { ProtocolError } from '@praesidor/protocols/dial';
import { getManifest, readOn, type RegistryAt } from '@praesidor/protocols/oci';
import { CaseFolder, sumOf, type TopManifest } from './case.ts';
import { inParallel } from './parallel.ts';
import type { SigningKey } from './signature.ts';

export interface Manifests {
  /** The images with the sizes of their manifests. */
  images: ShipmentManifest['images'];
  bodies: Map<string, { body: Buffer; mediaType: string }>;
}

/** Reads the manifests of all images at the source: their sizes are needed before cases can be planned. */
export async function readManifests(
  source: RegistryAt,
  images: ShipmentManifest['images'],
  signal?: AbortSignal,
): Promise<Manifests> {
  const bodies: Manifests['bodies'] = new Map();
  await inParallel(images, 4, signal, async (i) => {
    for (const m of i.manifests) {
      if (bodies.has(m.digest)) continue;
      const got = await getManifest(source, i.from ?? i.repository, m.digest);
      bodies.set(m.digest, { body: got.body, mediaType: got.mediaType });
    }
  });
  return {
    images: images.map((i) => ({
      ...i,
      manifests: i.manifests.map((m) => ({ digest: m.digest, bytes: bodies.get(m.digest)?.body.length ?? 0 })),
    })),
    bodies,
  };
}

/** The manifest of a shipment whose blobs travel in cases of `caseBytes`. @throws RangeError when a case is too small to hold anything */
export function planCases(
  draft: Draft,
  images: ShipmentManifest['images'],
  sizes: ShipmentManifest['blobs'],
  travelling: readonly string[],
  caseBytes: number,
  stands?: Record<string, string[]>,
): ShipmentManifest {
  const own = Object.fromEntries([...new Set(images.flatMap((i) => i.blobs))].sort().map((d) => [d, sizes[d] ?? 0]));
  const overhead = overheadOf(images, travelling.length);
  const plan = splitIntoCases(
    travelling.map((digest) => ({ digest, bytes: sizes[digest] ?? 0 })),
    caseBytes,
    overhead,
  );
  const cases = plan.cases.length ? plan.cases : [{ number: 1, bytes: 0, pieces: [] }];
  return shipmentManifestOf(draft, images, own, { ...plan, cases }, stands);
}

/** A piece of a blob on its way into a case: `from` to `to` (exclusive) of its `size` bytes, to be `want` (SHA-256, hex) where that is known. */
export interface Fetch {
  dir: string;
  path: string;
  want?: string | undefined;
  repository: string;
  digest: string;
  from: number;
  to: number;
  size: number;
}
export interface FetchHooks {
  onBytes: (n: number) => void;
  onCut: () => void;
}
/** Fetches a piece behind what of it lies there already. Answers its SHA-256 when it is verified and on the disk. */
export async function fetchPiece(source: RegistryAt, f: Fetch, hooks: FetchHooks): Promise<string> {
  const box = new CaseFolder(f.dir);
  const before = await box.partial(f.path);
  hooks.onBytes(before);
  const rest = { digest: f.digest, from: f.from + before, to: f.to, size: f.size };
  const got = await box.take(f.path, f.want, readOn(source, f.repository, rest, { onCut: hooks.onCut }), hooks.onBytes);
  await box.settled();
  return got;
}

export interface PackHooks {
  /** Who fetches; this process where nobody is named. */
  fetch?: (f: Fetch, hooks: FetchHooks) => Promise<string>;
  onBytes?: (n: number) => void;
  onCut?: () => void;
  onPiece?: (piece: ShipmentPiece, number: number) => Promise<void> | void;
  onClosed?: (number: number) => Promise<void> | void;
  /** Whoever packs signs the manifest. */
  signer?: SigningKey;
  signal?: AbortSignal;
}

/**
 * Packs cases from a registry, each piece verified as it arrives; what lies there from before is taken as it is.
 * Answers the manifest with the checksums of parts. Called again after a kill, it goes on at the byte where it stood.
 */
export async function packCases(
  manifest: ShipmentManifest,
  source: RegistryAt,
  manifests: Manifests['bodies'],
  folderOf: (number: number) => string,
  hooks: PackHooks = {},
): Promise<ShipmentManifest> {
  const w = structuredClone(manifest);
  const repository = new Map<string, string>();
  for (const i of w.images) for (const b of i.blobs) if (!repository.has(b)) repository.set(b, i.from ?? i.repository);
  const boxes = new Map<number, CaseFolder>();
  const sums = new Map<number, Map<string, string>>();
  for (const c of w.cases) {
    boxes.set(c.number, await new CaseFolder(folderOf(c.number)).open());
    sums.set(c.number, new Map());
  }
  const all = w.cases.flatMap((c) => c.pieces.map((piece) => ({ piece, number: c.number })));
  const fetch = hooks.fetch ?? ((f: Fetch, h: FetchHooks) => fetchPiece(source, f, h));
  const counted = { onBytes: (n: number) => hooks.onBytes?.(n), onCut: () => hooks.onCut?.() };
  // More than are read at once: some wait for the disk while others arrive.
  await inParallel(all, 8, hooks.signal, async ({ piece, number }) => {
    const box = boxes.get(number) as CaseFolder;
    const path = pathOf(w, piece);
    const length = piece.to - piece.from;
    if ((await box.size(path)) === length) {
      hooks.onBytes?.(length);
      if (isPart(w, piece)) piece.sha256 = await box.sha256(path);
    } else {
      const { digest, from, to } = piece;
      const got = await fetch(
        {
          ...{ dir: box.dir, path, want: sumOf(w, piece), repository: repository.get(digest) ?? '' },
          ...{ digest, from, to, size: w.blobs[digest] ?? 0 },
        },
        counted,
      );
      if (isPart(w, piece)) piece.sha256 = got;
    }
    sums.get(number)?.set(path, sumOf(w, piece) ?? '');
    await hooks.onPiece?.(piece, number);
  });
  await verifyJoined(w, (n) => boxes.get(n) as CaseFolder);
  const tops: TopManifest[] = w.images
    .flatMap((i) => {
      const top = manifests.get(i.digest);
      return top && i.tag
        ? [{ digest: i.digest, size: top.body.length, mediaType: top.mediaType, ref: `${i.repository}:${i.tag}` }]
        : [];
    })
    .sort((a, b) => (a.ref < b.ref ? -1 : 1));
  for (const c of w.cases) {
    const box = boxes.get(c.number) as CaseFolder;
    for (const [digest, m] of manifests) {
      const path = `blobs/sha256/${digest.slice(7)}`;
      if ((await box.size(path)) !== m.body.length) await box.put(path, m.body);
      sums.get(c.number)?.set(path, digest.slice(7));
    }
    await box.close(w, c.number, tops, sums.get(c.number) ?? new Map(), hooks.signer);
    await hooks.onClosed?.(c.number);
  }
  return w;
}

/** Parts were fetched each by itself: joined, they must be the blob. @throws ProtocolError `digest` */
async function verifyJoined(w: ShipmentManifest, boxOf: (number: number) => CaseFolder): Promise<void> {
  const { createHash } = await import('node:crypto');
  const parts = new Map<string, { piece: ShipmentPiece; number: number }[]>();
  for (const c of w.cases)
    for (const piece of c.pieces)
      if (isPart(w, piece)) parts.set(piece.digest, [...(parts.get(piece.digest) ?? []), { piece, number: c.number }]);
  for (const [digest, list] of parts) {
    const hash = createHash('sha256');
    for (const { piece, number } of list.sort((a, b) => a.piece.from - b.piece.from))
      for await (const chunk of boxOf(number).stream(pathOf(w, piece))) hash.update(chunk as Buffer);
    if (`sha256:${hash.digest('hex')}` === digest) continue;
    const { rm } = await import('node:fs/promises');
    for (const { piece, number } of list) await rm(boxOf(number).file(pathOf(w, piece)), { force: true });
    throw new ProtocolError('digest', 'source', `${digest.slice(0, 19)} arrived with other bytes; its parts were thrown away`);
  }
}
