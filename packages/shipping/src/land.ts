import { createHash } from 'node:crypto';
import { mkdir, rm } from 'node:fs/promises';
import { isPart, pathOf, type ShipmentManifest, type ShipmentPiece } from '@praesidor/core/images';
import { ProtocolError } from '@praesidor/protocols/dial';
import { hasBlob, hasManifest, mountBlob, pushBlob, putManifest, type RegistryAt } from '@praesidor/protocols/oci';
import { CaseFolder, sumOf } from './case.ts';
import { inParallel } from './parallel.ts';
import { Reading } from './reading.ts';
import type { BadFile } from './verify.ts';

export interface LandHooks {
  onBytes?: (n: number) => void;
  onCut?: () => void;
  onLanded?: (digest: string) => Promise<void> | void;
  signal?: AbortSignal;
}
export interface Landed {
  number: number;
  /** Blobs of this case that stand at the target now. */
  blobs: number;
  bad: BadFile[];
  /** Images that are whole and named at the target, of all of the shipment. */
  images: number;
  of: number;
  /** Of each image that waits, the first blob that it waits for. */
  lacking: string[];
}

/**
 * Lands one case at a registry: its blobs, verified as they go; parts are kept in `keep` until all of a blob are
 * here; then every image of the whole shipment that has all its blobs is put, manifests before their index, the
 * name last. Cases can be landed in any order, and again. What is damaged is named, and the rest is landed.
 */
export async function landCase(box: CaseFolder, to: RegistryAt, keep: string, hooks: LandHooks = {}): Promise<Landed> {
  const { manifest: w, mark } = await box.describe();
  const own = w.cases.find((c) => c.number === mark.number);
  const bad: BadFile[] = [];
  const places = placesOf(w);
  let blobs = 0;
  await inParallel(own?.pieces ?? [], 4, hooks.signal, async (p) => {
    const why = isPart(w, p) ? await landPart(w, p, box, keep, to, places, hooks) : await landWhole(w, p, box, to, places, hooks);
    if (why) bad.push({ path: pathOf(w, p), why });
    else blobs++;
  });
  const { images, lacking } = await nameWhole(w, box, to, places, bad, hooks);
  return { number: mark.number, blobs, bad, images, of: w.images.length, lacking };
}

/** The repositories that each blob belongs into. */
function placesOf(w: ShipmentManifest): Map<string, string[]> {
  const out = new Map<string, string[]>();
  for (const i of w.images)
    for (const b of i.blobs) {
      const list = out.get(b) ?? [];
      if (!list.includes(i.repository)) list.push(i.repository);
      out.set(b, list);
    }
  return out;
}

async function landWhole(
  w: ShipmentManifest,
  p: ShipmentPiece,
  box: CaseFolder,
  to: RegistryAt,
  places: Map<string, string[]>,
  hooks: LandHooks,
) {
  const path = pathOf(w, p);
  const size = p.to;
  const repo = places.get(p.digest)?.[0] ?? '';
  if (await hasBlob(to, repo, p.digest)) hooks.onBytes?.(size);
  else {
    const there = await box.size(path);
    if (there !== size) return there === undefined ? 'is not there' : `has ${there} of ${size} bytes`;
    const why = await pushFile(w, p, to, repo, hooks, (from) => box.stream(path, from), `${path} of case`);
    if (why) return why;
  }
  await hooks.onLanded?.(p.digest);
  return undefined;
}

/** Sends a blob from a medium. Answers what is wrong with the medium; a fault of the registry is thrown. */
async function pushFile(
  w: ShipmentManifest,
  p: ShipmentPiece,
  to: RegistryAt,
  repo: string,
  hooks: LandHooks,
  open: (from: number) => AsyncIterable<Buffer>,
  what: string,
): Promise<string | undefined> {
  const reading = new Reading();
  let hash = createHash('sha256');
  async function* counted(from: number) {
    if (from === 0) hash = createHash('sha256');
    for await (const chunk of reading.of(open(from))) {
      hash.update(chunk);
      hooks.onBytes?.(chunk.length);
      yield chunk;
    }
  }
  try {
    await pushBlob(to, repo, p.digest, w.blobs[p.digest] ?? 0, counted, { onCut: () => hooks.onCut?.() });
    return undefined;
  } catch (e) {
    if (reading.fault) return `cannot be read: ${(reading.fault as Error).message}`;
    if (e instanceof ProtocolError && e.fault === 'digest')
      return `sha256:${hash.digest('hex')}` === p.digest
        ? `${what} arrived with other bytes`
        : 'has other bytes than were packed';
    throw e;
  }
}

async function landPart(
  w: ShipmentManifest,
  p: ShipmentPiece,
  box: CaseFolder,
  keep: string,
  to: RegistryAt,
  places: Map<string, string[]>,
  hooks: LandHooks,
) {
  const repo = places.get(p.digest)?.[0] ?? '';
  if (await hasBlob(to, repo, p.digest)) {
    hooks.onBytes?.(p.to - p.from);
    await hooks.onLanded?.(p.digest);
    return undefined;
  }
  const path = pathOf(w, p);
  const there = await box.size(path);
  if (there !== p.to - p.from) return there === undefined ? 'is not there' : `has ${there} of ${p.to - p.from} bytes`;
  await mkdir(keep, { recursive: true });
  const kept = await new CaseFolder(keep).open();
  if ((await kept.size(path)) !== there) {
    await rm(kept.file(`${path}.incoming`), { force: true });
    try {
      await kept.take(path, sumOf(w, p) ?? 'unknown', box.stream(path), (n) => hooks.onBytes?.(n));
    } catch (e) {
      if (e instanceof ProtocolError && e.fault === 'digest') return 'has other bytes than were packed';
      throw e;
    }
  } else hooks.onBytes?.(there);
  const parts = w.cases.flatMap((c) => c.pieces.filter((x) => x.digest === p.digest)).sort((a, b) => a.from - b.from);
  for (const x of parts) if ((await kept.size(pathOf(w, x))) !== x.to - x.from) return undefined;
  const size = w.blobs[p.digest] ?? 0;
  async function* joined(from: number) {
    for (const x of parts) if (x.to > from) yield* kept.stream(pathOf(w, x), Math.max(0, from - x.from));
  }
  const why = await pushFile(
    w,
    { digest: p.digest, from: 0, to: size },
    to,
    repo,
    { ...hooks, onBytes: () => {} },
    joined,
    'the parts',
  );
  for (const x of parts) await rm(kept.file(pathOf(w, x)), { force: true });
  if (!why) await hooks.onLanded?.(p.digest);
  return why;
}

/** Puts every image that has all its blobs by now. */
async function nameWhole(
  w: ShipmentManifest,
  box: CaseFolder,
  to: RegistryAt,
  places: Map<string, string[]>,
  bad: BadFile[],
  hooks: LandHooks,
) {
  const lacking = new Set<string>();
  const there = new Map<string, Promise<boolean>>();
  /** Whether a repository has a blob by now, linked from where else it stands if it must be. */
  const has = (repo: string, digest: string) => {
    const key = `${repo} ${digest}`;
    let known = there.get(key);
    if (!known) {
      known = (async () => {
        if (await hasBlob(to, repo, digest)) return true;
        for (const other of new Set([...(places.get(digest) ?? []), ...(w.stands?.[digest] ?? [])]))
          if (other !== repo && (await mountBlob(to, repo, digest, other))) return true;
        return false;
      })();
      there.set(key, known);
    }
    return known;
  };
  const firstWithout = async (i: ShipmentManifest['images'][number]) => {
    for (const b of i.blobs) if (!(await has(i.repository, b))) return b;
    return undefined;
  };
  let images = 0;
  const byRepository = new Map<string, ShipmentManifest['images']>();
  for (const i of w.images) byRepository.set(i.repository, [...(byRepository.get(i.repository) ?? []), i]);
  await inParallel([...byRepository.values()], 4, hooks.signal, async (list) => {
    for (const i of list) {
      if ((await hasManifest(to, i.repository, i.tag ?? i.digest)) === i.digest) {
        images++;
        continue;
      }
      // One that lacks is enough: another case brings it.
      const without = await firstWithout(i);
      if (without) {
        lacking.add(without);
        continue;
      }
      const why = await putImage(i, box, to);
      if (why) bad.push(why);
      else images++;
    }
  });
  return { images, lacking: [...lacking].sort() };
}

async function putImage(i: ShipmentManifest['images'][number], box: CaseFolder, to: RegistryAt): Promise<BadFile | undefined> {
  for (const m of i.manifests) {
    const path = `blobs/sha256/${m.digest.slice(7)}`;
    if ((await box.size(path)) !== m.bytes) return { path, why: `the manifest of ${i.repository} is not whole` };
    const body = await box.read(path);
    if (`sha256:${createHash('sha256').update(body).digest('hex')}` !== m.digest)
      return { path, why: `the manifest of ${i.repository} has other bytes than were packed` };
    const type = (JSON.parse(body.toString('utf8')) as { mediaType?: string; manifests?: unknown }).mediaType;
    await putManifest(
      to,
      i.repository,
      m.digest === i.digest ? (i.tag ?? i.digest) : m.digest,
      type ?? 'application/vnd.oci.image.manifest.v1+json',
      body,
    );
  }
  return undefined;
}
