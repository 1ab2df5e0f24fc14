import { readdir, readFile, rename, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { readManifest } from './manifest.ts';
import type { Store } from './store.ts';

export interface Collected {
  manifests: number;
  blobs: number;
  bytes: number;
  /** Uploads that nobody went on with for a day. */
  uploads: number;
}
export interface Collecting {
  /** Says what would go, and takes nothing. */
  dry?: boolean;
  /** Manifests that no tag, no index and no subject leads to go too. */
  untagged?: boolean;
  /** Content younger than this stays: its manifest may be on the way. Milliseconds; an hour where not given. */
  graceMs?: number;
  now?: number;
}

/**
 * Takes away what nothing refers to: manifests that no name leads to (if asked), then blobs that no manifest names.
 * Nobody writes meanwhile. Cut short at any moment, what is left is whole, and the next run goes on.
 */
export const collect = (store: Store, o: Collecting = {}): Promise<Collected> =>
  store.turns.apart(async () => {
    const now = o.now ?? Date.now();
    const old = (at: number, grace = o.graceMs ?? 3_600_000) => now - at >= grace;
    const out: Collected = { manifests: 0, blobs: 0, bytes: 0, uploads: 0 };
    const used = new Set<string>();
    for (const repo of await store.repositories()) {
      const held = (await readdir(store.repoPath(repo, 'manifests'))).map((hex) => `sha256:${hex}`);
      const keep = o.untagged ? await reached(store, repo, held) : new Set(held);
      const blobs = new Set<string>();
      for (const d of held) {
        const path = store.repoPath(repo, 'manifests', d.slice(7));
        if (!keep.has(d) && old((await stat(path)).mtimeMs)) {
          out.manifests++;
          if (!o.dry) await store.remove(path);
          continue;
        }
        used.add(d);
        for (const b of (await read(store, d))?.blobs ?? []) blobs.add(b.digest);
      }
      for (const hex of await readdir(store.repoPath(repo, 'blobs')).catch(() => [])) {
        const path = store.repoPath(repo, 'blobs', hex);
        if (blobs.has(`sha256:${hex}`) || !old((await stat(path)).mtimeMs)) used.add(`sha256:${hex}`);
        else if (!o.dry) await store.remove(path);
      }
    }
    for (const digest of await store.digests()) {
      if (used.has(digest)) continue;
      const s = await stat(store.blobPath(digest));
      if (!old(s.mtimeMs)) continue;
      out.blobs++;
      out.bytes += s.size;
      if (o.dry) continue;
      await rm(store.blobPath(digest), { force: true });
      store.grown(-s.size);
    }
    for (const id of await readdir(join(store.dir, 'uploads'))) {
      const path = join(store.dir, 'uploads', id);
      const s = await stat(path).catch(() => undefined);
      if (!s || !old(s.mtimeMs, 86_400_000)) continue;
      out.uploads++;
      if (!o.dry) await rm(path, { force: true });
    }
    return out;
  });

const read = async (store: Store, digest: string) => {
  try {
    return readManifest(await readFile(store.blobPath(digest)));
  } catch {
    return undefined;
  }
};

/** Manifests that a tag leads to, by indexes and by what is attached to them. */
async function reached(store: Store, repo: string, held: readonly string[]): Promise<Set<string>> {
  const keep = new Set<string>();
  const todo: string[] = [];
  for (const tag of (await store.tags(repo)) ?? []) todo.push(await readFile(store.repoPath(repo, 'tags', tag), 'utf8'));
  const here = new Set(held);
  for (let d = todo.pop(); d !== undefined; d = todo.pop()) {
    if (keep.has(d) || !here.has(d)) continue;
    keep.add(d);
    todo.push(
      ...((await read(store, d))?.manifests ?? []).map((m) => m.digest),
      ...(await store.referrers(repo, d)).map((r) => r.digest),
    );
  }
  return keep;
}

export interface ScrubState {
  running: boolean;
  done: number;
  of: number;
  bytes: number;
  startedAt?: string;
  endedAt?: string;
  /** Content that does not verify; it was put aside and is not served any more. */
  damaged: { digest: string; why: string }[];
  /** Content that a manifest names and that is not there. */
  missing: { digest: string; repository: string }[];
}

/** Reads every blob again and holds it against its digest. One at a time; it can be stopped and begun anew. */
export class Scrub {
  state: ScrubState = { running: false, done: 0, of: 0, bytes: 0, damaged: [], missing: [] };
  private stopping = false;
  private run: Promise<void> | undefined;
  constructor(
    private readonly store: Store,
    private readonly hash: (path: string) => Promise<string>,
  ) {}

  /** Begins, unless one is under way. */
  start(): ScrubState {
    if (!this.state.running) {
      this.stopping = false;
      this.state = { running: true, done: 0, of: 0, bytes: 0, startedAt: new Date().toISOString(), damaged: [], missing: [] };
      this.run = this.all().finally(() => {
        this.state.running = false;
        this.state.endedAt = new Date().toISOString();
      });
    }
    return this.state;
  }
  async stop(): Promise<void> {
    this.stopping = true;
    await this.run;
  }
  settled = () => this.run;

  private async all(): Promise<void> {
    const digests = (await this.store.digests()).sort();
    this.state.of = digests.length;
    for (const d of digests) {
      if (this.stopping) return;
      const path = this.store.blobPath(d);
      const s = await stat(path).catch(() => undefined);
      if (s) {
        const why = await this.hash(path).then(
          (h) => (h === d ? undefined : 'its bytes have another digest'),
          (e: Error) => `it cannot be read: ${e.message}`,
        );
        if (why) {
          this.state.damaged.push({ digest: d, why });
          await rename(path, join(this.store.dir, 'damaged', d.slice(7))).catch(() => undefined);
          this.store.grown(-s.size);
        }
        this.state.bytes += s.size;
      }
      this.state.done++;
    }
    const here = new Set(await this.store.digests());
    for (const repo of await this.store.repositories())
      for (const hex of await readdir(this.store.repoPath(repo, 'manifests'))) {
        const digest = `sha256:${hex}`;
        if (!here.has(digest)) this.state.missing.push({ digest, repository: repo });
        for (const { digest: b } of (await read(this.store, digest))?.blobs ?? [])
          if (!here.has(b)) this.state.missing.push({ digest: b, repository: repo });
      }
  }
}
