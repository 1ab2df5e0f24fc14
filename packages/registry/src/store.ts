import { createHash, randomUUID } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { mkdir, open, readdir, readFile, rename, rm, rmdir, stat, truncate, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import type { Readable } from 'node:stream';
import { gathered, Hashing, writeHashed } from '@praesidor/hashing';
import { digestOfFile, exists, FolderSync, freeBytes, isFull, shaOf, sizeOfFolder, StoreFull, syncFile, Turns } from './disk.ts';
import { type FileToWrite, GroupWriter } from './group.ts';
import { readManifest, type Sized } from './manifest.ts';
import { PullLog } from './pulls.ts';

export { StoreFull } from './disk.ts';
export type { PullLine } from './pulls.ts';

const markOf = (repo: string) => createHash('sha256').update(repo).digest('hex').slice(0, 16);
const full = (left: number) => `the disk set aside for images is full: ${left} bytes are left`;
/** Bytes that are written before the room is looked at again. */
const askAgain = 16_000_000;

/** Somebody else still writes to the same upload: a connection that broke may not be noticed yet. */
export class Busy extends Error {}

export interface StoreLimits {
  /** Bytes of content at most. */
  limitBytes?: number;
  /** Bytes that must stay free where the store lies. */
  keepFree?: number;
}
export interface Descriptor {
  mediaType: string;
  digest: string;
  size: number;
  artifactType?: string;
  annotations?: Record<string, string>;
}

/**
 * Content on disk, addressed by digest. A blob is written beside its place, synced, verified and only then
 * renamed into it, so that what stands under a digest is always whole; the name is synced before it is
 * acknowledged. Uploads survive a restart.
 *
 *     blobs/sha256/<hex>                  content, shared by all repositories
 *     repos/<name>/blobs/<hex>            this repository holds that blob (empty file)
 *     repos/<name>/manifests/<hex>        media type of a manifest
 *     repos/<name>/tags/<tag>             digest
 *     repos/<name>/referrers/<hex>/<hex>  descriptor of a manifest whose subject is the first
 *     uploads/<id>                        an upload under way
 *     damaged/<hex>                       content that did not verify any more, put aside
 */
export class Store {
  readonly turns = new Turns();
  readonly pullLog: PullLog;
  private readonly folders = new FolderSync();
  private readonly group: GroupWriter;
  private readonly limits: StoreLimits;

  constructor(
    readonly dir: string,
    limits: number | StoreLimits = {},
  ) {
    this.limits = typeof limits === 'number' ? { limitBytes: limits } : limits;
    this.pullLog = new PullLog(dir);
    this.group = new GroupWriter(join(dir, 'uploads'));
  }

  async open(): Promise<this> {
    for (const d of ['blobs/sha256', 'repos', 'uploads', 'damaged']) await mkdir(join(this.dir, d), { recursive: true });
    this.arriving = await sizeOfFolder(join(this.dir, 'uploads'));
    return this;
  }

  blobPath = (digest: string) => join(this.dir, 'blobs/sha256', digest.slice(7));
  repoPath = (repo: string, ...more: string[]) => join(this.dir, 'repos', ...repo.split('/').map((p) => `_${p}`), ...more);

  async blobSize(repo: string, digest: string): Promise<number | undefined> {
    if (!(await exists(this.repoPath(repo, 'blobs', digest.slice(7))))) return undefined;
    return (await stat(this.blobPath(digest)).catch(() => undefined))?.size;
  }

  /** A whole blob of a repository, unless it is larger than `most` bytes; undefined: it is, or is not held. */
  async smallBlob(repo: string, digest: string, most: number): Promise<Buffer | undefined> {
    const size = await this.blobSize(repo, digest);
    return size === undefined || size > most ? undefined : readFile(this.blobPath(digest)).catch(() => undefined);
  }

  readBlob = (digest: string, start = 0, end?: number): Readable =>
    createReadStream(this.blobPath(digest), { start, highWaterMark: 262_144, ...(end === undefined ? {} : { end }) });

  // ── uploads ────────────────────────────────────────────────────────────────────────────────────────────────────

  /** Digests of what arrives, kept while this process receives it; what was begun by another one is read again. */
  private readonly hashes = new Map<string, { hash: Hashing; size: number }>();
  private readonly busy = new Set<string>();

  /** An upload belongs to the repository that it was begun for: its name tells which, and nothing else finds it. */
  async startUpload(repo: string): Promise<string> {
    const id = `${randomUUID()}.${markOf(repo)}`;
    await writeFile(join(this.dir, 'uploads', id), '');
    this.hashes.set(id, { hash: new Hashing(), size: 0 });
    return id;
  }

  isOf = (repo: string, id: string): boolean => id.endsWith(`.${markOf(repo)}`);
  uploadSize = async (id: string): Promise<number | undefined> =>
    /^[0-9a-f-]{36}\.[0-9a-f]{16}$/.test(id)
      ? (await stat(join(this.dir, 'uploads', id)).catch(() => undefined))?.size
      : undefined;

  async dropUpload(id: string): Promise<void> {
    this.hashes.get(id)?.hash.drop();
    this.hashes.delete(id);
    this.arriving -= (await this.uploadSize(id)) ?? 0;
    await rm(join(this.dir, 'uploads', id), { force: true });
  }

  /** Takes an upload back to a length that it had. */
  async cut(id: string, size: number): Promise<void> {
    this.hashes.get(id)?.hash.drop();
    this.hashes.delete(id);
    this.arriving -= ((await this.uploadSize(id)) ?? size) - size;
    await truncate(join(this.dir, 'uploads', id), size);
  }

  /** Bytes of uploads that have not become blobs: they count against the limit like these. */
  private arriving = 0;
  /** The same stream, until there is no room for what comes: nobody says beforehand how long a chunked one is. @throws StoreFull */
  private async *within(body: AsyncIterable<Buffer>): AsyncGenerator<Buffer> {
    let left = await this.free();
    let unasked = 0;
    for await (const piece of body) {
      unasked += piece.length;
      // Others write too, to this disk and to this store.
      if (piece.length > left || unasked > askAgain) {
        left = await this.free();
        unasked = 0;
      }
      if (piece.length > left) throw new StoreFull(full(left));
      left -= piece.length;
      yield piece;
    }
  }

  /**
   * Appends to an upload. What arrived before a broken connection stays, and can be continued.
   * @throws StoreFull; the upload is dropped then, since it would keep the space that it could not find
   */
  async append(id: string, body: Readable, expected = 0): Promise<number> {
    if (this.busy.has(id)) throw new Busy();
    this.busy.add(id);
    try {
      await this.room(expected);
      const known = this.hashes.get(id);
      const hashed = known && known.size === (await this.uploadSize(id)) ? known : undefined;
      const handle = await open(join(this.dir, 'uploads', id), 'a');
      try {
        await writeHashed(handle, this.within(gathered(body, undefined, undefined, 'leave')), hashed?.hash, (n) => {
          this.arriving += n;
          if (hashed) hashed.size += n;
        });
      } finally {
        await handle.close();
      }
    } catch (cause) {
      if (!isFull(cause)) throw cause;
      await this.dropUpload(id);
      throw cause instanceof StoreFull ? cause : new StoreFull();
    } finally {
      this.busy.delete(id);
    }
    return (await this.uploadSize(id)) ?? 0;
  }

  /**
   * A blob that came whole in one request: in the same order of verified, synced, named and synced again, together with
   * others that come at the same time. Answers whether its bytes have that digest. @throws StoreFull
   */
  async putBlob(repo: string, digest: string, body: Buffer): Promise<boolean> {
    if (shaOf(body) !== digest) return false;
    const [disk] = await Promise.all([this.diskFor(body.length), this.known()]);
    // Looked at and counted in one step: of many at once each sees those before it.
    const left = this.leftOf(disk);
    if (left < body.length) throw new StoreFull(full(Math.max(0, left)));
    this.arriving += body.length;
    try {
      await this.turns.beside(async () => {
        const stood = await this.group.write([
          [{ path: this.blobPath(digest), body, asks: true }],
          [{ path: this.repoPath(repo, 'blobs', digest.slice(7)) }],
        ]);
        if (!stood) this.grown(body.length);
      });
      return true;
    } catch (cause) {
      throw isFull(cause) && !(cause instanceof StoreFull) ? new StoreFull() : cause;
    } finally {
      this.arriving -= body.length;
    }
  }

  /** Takes an upload for a blob if its bytes have that digest; otherwise drops it and answers false. */
  async finish(repo: string, id: string, digest: string): Promise<boolean> {
    const path = join(this.dir, 'uploads', id);
    const known = this.hashes.get(id);
    this.hashes.delete(id);
    const whole = known?.size === (await this.uploadSize(id));
    if (!whole) known?.hash.drop();
    const got = whole ? `sha256:${await known?.hash.digest()}` : await digestOfFile(path);
    this.arriving -= (await this.uploadSize(id)) ?? 0;
    if (got !== digest) {
      await rm(path, { force: true });
      return false;
    }
    await syncFile(path);
    await this.turns.beside(async () => {
      const size = (await stat(path)).size;
      const before = await exists(this.blobPath(digest));
      await rename(path, this.blobPath(digest));
      if (!before) this.grown(size);
      await Promise.all([this.folders.of(join(this.dir, 'blobs/sha256')), this.link(repo, digest)]);
    });
    return true;
  }

  /** Records that a repository holds a blob that another one brought. */
  mount = (repo: string, from: string, digest: string): Promise<boolean> =>
    this.turns.beside(async () => {
      if ((await this.blobSize(from, digest)) === undefined) return false;
      await this.link(repo, digest);
      return true;
    });

  private async link(repo: string, digest: string) {
    await this.folder(this.repoPath(repo, 'blobs'));
    await this.folders.file(this.repoPath(repo, 'blobs', digest.slice(7)), '');
  }

  /** Makes a folder and syncs the names on the way to it. */
  private async folder(path: string): Promise<void> {
    const made = await mkdir(path, { recursive: true });
    if (made === undefined) return;
    for (let at = dirname(path); at.length >= dirname(made).length; at = dirname(at)) await this.folders.of(at);
  }

  // ── manifests and names ────────────────────────────────────────────────────────────────────────────────────────

  /**
   * Takes a manifest whose content is all here. An index may name manifests that are not here (other
   * architectures), as long as one is. @throws Error when it is no manifest
   */
  async putManifest(
    repo: string,
    reference: string,
    mediaType: string,
    body: Buffer,
  ): Promise<{ digest: string; missing: string[]; subject?: string }> {
    const digest = shaOf(body);
    if (reference.startsWith('sha256:') && reference !== digest)
      throw new Error('the manifest does not have the digest it was put under');
    const says = readManifest(body, mediaType);
    return this.turns.beside(async () => {
      const missing: string[] = [];
      const wrong = (d: Sized, is: number) => {
        if (d.size !== is) throw new Error(`${d.digest} has ${is} bytes, and this manifest says ${d.size}`);
      };
      const sizes = await Promise.all(says.blobs.map((d) => this.blobSize(repo, d.digest)));
      for (const [n, d] of says.blobs.entries()) {
        const is = sizes[n];
        if (is === undefined) missing.push(d.digest);
        else wrong(d, is);
      }
      const children = await Promise.all(
        says.manifests.map(async (d) => {
          const there = await exists(this.repoPath(repo, 'manifests', d.digest.slice(7)));
          if (there) wrong(d, (await stat(this.blobPath(d.digest))).size);
          return there;
        }),
      );
      if (says.index && children.length > 0 && !children.some(Boolean)) missing.push(...says.manifests.map((d) => d.digest));
      if (missing.length) return { digest, missing };
      await this.room(body.length);
      const names: FileToWrite[] = [{ path: this.repoPath(repo, 'manifests', digest.slice(7)), body: mediaType, alike: true }];
      if (says.subject) {
        const about: Descriptor = {
          mediaType,
          digest,
          size: body.length,
          ...(says.artifactType ? { artifactType: says.artifactType } : {}),
          ...(says.annotations ? { annotations: says.annotations } : {}),
        };
        names.push({
          path: this.repoPath(repo, 'referrers', says.subject.slice(7), digest.slice(7)),
          body: JSON.stringify(about),
        });
      }
      const stood = await this.group.write([
        [{ path: this.blobPath(digest), body, asks: true }],
        names,
        reference.startsWith('sha256:') ? [] : [{ path: this.repoPath(repo, 'tags', reference), body: digest }],
      ]);
      if (!stood) this.grown(body.length);
      return { digest, missing, ...(says.subject ? { subject: says.subject } : {}) };
    });
  }

  async manifest(repo: string, reference: string): Promise<{ digest: string; mediaType: string; body: Buffer } | undefined> {
    try {
      const digest = reference.startsWith('sha256:') ? reference : await readFile(this.repoPath(repo, 'tags', reference), 'utf8');
      return {
        digest,
        mediaType: await readFile(this.repoPath(repo, 'manifests', digest.slice(7)), 'utf8'),
        body: await readFile(this.blobPath(digest)),
      };
    } catch {
      return undefined;
    }
  }

  /** Manifests whose subject is that digest (OCI distribution 1.1, referrers). */
  async referrers(repo: string, digest: string): Promise<Descriptor[]> {
    const dir = this.repoPath(repo, 'referrers', digest.slice(7));
    const names = (await readdir(dir).catch(() => [])).sort();
    return Promise.all(names.map(async (n) => JSON.parse(await readFile(join(dir, n), 'utf8')) as Descriptor));
  }

  /** Takes a name away, or a manifest with all its names; false: there was none. Content goes when `collect` finds it unused. */
  deleteManifest = (repo: string, reference: string): Promise<boolean> =>
    // Alone: the folder that it leaves empty goes too, and nobody may be about to write into it.
    this.turns.apart(async () => {
      if (!reference.startsWith('sha256:')) return this.remove(this.repoPath(repo, 'tags', reference));
      const found = await this.manifest(repo, reference);
      const gone = await this.remove(this.repoPath(repo, 'manifests', reference.slice(7)));
      for (const tag of (await this.tags(repo)) ?? [])
        if ((await readFile(this.repoPath(repo, 'tags', tag), 'utf8')) === reference)
          await this.remove(this.repoPath(repo, 'tags', tag));
      const subject = found && readManifest(found.body).subject;
      if (subject) await this.remove(this.repoPath(repo, 'referrers', subject.slice(7), reference.slice(7)));
      return gone;
    });
  deleteBlob = (repo: string, digest: string): Promise<boolean> =>
    this.turns.apart(() => this.remove(this.repoPath(repo, 'blobs', digest.slice(7))));

  async remove(path: string): Promise<boolean> {
    if (!(await exists(path))) return false;
    await rm(path, { force: true });
    await this.folders.of(dirname(path));
    // An empty folder says that there is something where there is nothing.
    await rmdir(dirname(path)).catch(() => undefined);
    return true;
  }

  tags = async (repo: string): Promise<string[] | undefined> =>
    (await readdir(this.repoPath(repo, 'tags')).catch(() => undefined))?.sort();

  async repositories(): Promise<string[]> {
    const found: string[] = [];
    const walk = async (dir: string, name: string[]) => {
      for (const e of await readdir(dir, { withFileTypes: true }).catch(() => [])) {
        if (e.name === 'manifests') found.push(name.join('/'));
        else if (e.name.startsWith('_')) await walk(join(dir, e.name), [...name, e.name.slice(1)]);
      }
    };
    await walk(join(this.dir, 'repos'), []);
    return found.sort();
  }

  /** Every digest that stands whole in the store. */
  digests = async (): Promise<string[]> => (await readdir(join(this.dir, 'blobs/sha256'))).map((hex) => `sha256:${hex}`);

  /** Every tag with the digest that it stands for, as repository:tag@digest. */
  async names(): Promise<string[]> {
    const out: string[] = [];
    for (const repo of await this.repositories()) {
      const named = ((await this.tags(repo)) ?? []).map(async (tag) => {
        const digest = await readFile(this.repoPath(repo, 'tags', tag), 'utf8').catch(() => undefined);
        return digest ? [`${repo}:${tag}@${digest}`] : [];
      });
      out.push(...(await Promise.all(named)).flat());
    }
    return out;
  }

  // ── room ───────────────────────────────────────────────────────────────────────────────────────────────────────

  private counted: Promise<number> | undefined;
  private usedBytes = 0;
  /** Bytes of content, counted once and kept up. */
  async used(): Promise<number> {
    this.counted ??= sizeOfFolder(join(this.dir, 'blobs/sha256')).then((n) => (this.usedBytes += n));
    await this.counted;
    return this.usedBytes;
  }
  /** Counted where there is a limit. */
  private known = async () => void (this.limits.limitBytes !== undefined && (await this.used()));
  grown(bytes: number): void {
    if (this.counted) this.usedBytes += bytes;
  }
  /** Bytes that can still be taken in. */
  async free(): Promise<number> {
    const [disk] = await Promise.all([freeBytes(this.dir), this.known()]);
    return Math.max(0, this.leftOf(disk));
  }
  private leftOf(disk: number): number {
    const onDisk = disk - (this.limits.keepFree ?? 0);
    const limit = this.limits.limitBytes;
    return limit === undefined ? onDisk : Math.min(onDisk, limit - this.usedBytes - this.arriving);
  }
  private disk = { at: Number.NEGATIVE_INFINITY, free: 0 };
  /** Bytes that the disk has, of which so many are about to be taken. Asked anew every quarter of a second; what is taken meanwhile counts. */
  private async diskFor(bytes: number): Promise<number> {
    if (performance.now() - this.disk.at > 250) this.disk = { at: performance.now(), free: await freeBytes(this.dir) };
    const { free } = this.disk;
    this.disk.free -= bytes;
    return free;
  }
  private async room(bytes: number): Promise<void> {
    const free = await this.free();
    if (bytes > free || free <= 0) throw new StoreFull(full(free));
  }

  logPull = this.addPull.bind(this);
  private addPull(line: Parameters<PullLog['add']>[0]): Promise<void> {
    return this.pullLog.add(line);
  }
  pulls = (since?: string) => this.pullLog.since(since);
}
