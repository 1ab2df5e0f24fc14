import { createHash, randomUUID } from 'node:crypto';
import { createReadStream, createWriteStream } from 'node:fs';
import { appendFile, mkdir, open, readdir, readFile, rename, rm, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';

/**
 * Content on disk, addressed by digest. A blob is written beside its place, synced, verified and only then
 * renamed into it, so that what stands under a digest is always whole. Uploads survive a restart.
 *
 *     blobs/sha256/<hex>             content, shared by all repositories
 *     repos/<name>/blobs/<hex>       this repository holds that blob (empty file)
 *     repos/<name>/manifests/<hex>   media type of a manifest
 *     repos/<name>/tags/<tag>        digest
 *     uploads/<id>                   an upload under way
 */
export class Store {
  constructor(
    readonly dir: string,
    private readonly limitBytes = Number.POSITIVE_INFINITY,
  ) {}

  async open(): Promise<this> {
    for (const d of ['blobs/sha256', 'repos', 'uploads']) await mkdir(join(this.dir, d), { recursive: true });
    return this;
  }

  private blobPath = (digest: string) => join(this.dir, 'blobs/sha256', digest.slice(7));
  private repoPath = (repo: string, ...more: string[]) =>
    join(this.dir, 'repos', ...repo.split('/').map((p) => `_${p}`), ...more);

  async blobSize(repo: string, digest: string): Promise<number | undefined> {
    if (!(await exists(this.repoPath(repo, 'blobs', digest.slice(7))))) return undefined;
    return (await stat(this.blobPath(digest)).catch(() => undefined))?.size;
  }

  readBlob = (digest: string, start = 0, end?: number): Readable =>
    createReadStream(this.blobPath(digest), { start, ...(end === undefined ? {} : { end }) });

  async startUpload(): Promise<string> {
    const id = randomUUID();
    await writeFile(join(this.dir, 'uploads', id), '');
    return id;
  }

  uploadSize = async (id: string): Promise<number | undefined> =>
    /^[0-9a-f-]{36}$/.test(id) ? (await stat(join(this.dir, 'uploads', id)).catch(() => undefined))?.size : undefined;
  dropUpload = (id: string) => rm(join(this.dir, 'uploads', id), { force: true });

  /** Appends to an upload. What arrived before a broken connection stays, and can be continued. @throws StoreFull */
  async append(id: string, body: Readable, expected = 0): Promise<number> {
    if ((await this.used()) + expected > this.limitBytes) throw new StoreFull();
    await pipeline(body, createWriteStream(join(this.dir, 'uploads', id), { flags: 'a' }));
    return (await this.uploadSize(id)) ?? 0;
  }

  /** Takes an upload for a blob if its bytes have that digest; otherwise drops it and answers false. */
  async finish(repo: string, id: string, digest: string): Promise<boolean> {
    const path = join(this.dir, 'uploads', id);
    const hash = createHash('sha256');
    for await (const chunk of createReadStream(path)) hash.update(chunk as Buffer);
    if (`sha256:${hash.digest('hex')}` !== digest) {
      await rm(path, { force: true });
      return false;
    }
    await syncFile(path);
    await rename(path, this.blobPath(digest));
    await this.link(repo, digest);
    return true;
  }

  /** Records that a repository holds a blob that another one brought. */
  async mount(repo: string, from: string, digest: string): Promise<boolean> {
    if ((await this.blobSize(from, digest)) === undefined) return false;
    await this.link(repo, digest);
    return true;
  }

  private async link(repo: string, digest: string) {
    await mkdir(this.repoPath(repo, 'blobs'), { recursive: true });
    await writeFile(this.repoPath(repo, 'blobs', digest.slice(7)), '');
  }

  async putManifest(
    repo: string,
    reference: string,
    mediaType: string,
    body: Buffer,
  ): Promise<{ digest: string; missing: string[] }> {
    const digest = `sha256:${createHash('sha256').update(body).digest('hex')}`;
    if (reference.startsWith('sha256:') && reference !== digest)
      throw new Error('the manifest does not have the digest it was put under');
    const missing: string[] = [];
    for (const d of referred(body)) {
      const held =
        d.kind === 'manifest'
          ? await exists(this.repoPath(repo, 'manifests', d.digest.slice(7)))
          : (await this.blobSize(repo, d.digest)) !== undefined;
      if (!held) missing.push(d.digest);
    }
    if (missing.length) return { digest, missing };
    const temporary = join(this.dir, 'uploads', randomUUID());
    await writeFile(temporary, body);
    await syncFile(temporary);
    await rename(temporary, this.blobPath(digest));
    await mkdir(this.repoPath(repo, 'manifests'), { recursive: true });
    await writeFile(this.repoPath(repo, 'manifests', digest.slice(7)), mediaType);
    if (!reference.startsWith('sha256:')) {
      await mkdir(this.repoPath(repo, 'tags'), { recursive: true });
      await writeFile(this.repoPath(repo, 'tags', reference), digest);
    }
    return { digest, missing };
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
    for (const repo of await this.repositories())
      for (const tag of (await this.tags(repo)) ?? [])
        out.push(`${repo}:${tag}@${await readFile(this.repoPath(repo, 'tags', tag), 'utf8')}`);
    return out;
  }

  private usedBytes: number | undefined;
  async used(): Promise<number> {
    if (!Number.isFinite(this.limitBytes)) return 0;
    this.usedBytes = 0;
    for (const hex of await readdir(join(this.dir, 'blobs/sha256')))
      this.usedBytes += (await stat(join(this.dir, 'blobs/sha256', hex))).size;
    return this.usedBytes;
  }

  /** The pull log: one JSON line a request that read content. Append-only. */
  logPull = (line: PullLine) => appendFile(join(this.dir, 'pulls.jsonl'), `${JSON.stringify(line)}\n`);

  async pulls(since?: string): Promise<PullLine[]> {
    const text = await readFile(join(this.dir, 'pulls.jsonl'), 'utf8').catch(() => '');
    return text
      .split('\n')
      .filter(Boolean)
      .map((l) => JSON.parse(l) as PullLine)
      .filter((l) => !since || l.at >= since);
  }
}

export interface PullLine {
  at: string;
  client: string;
  user: string;
  agent: string;
  kind: 'manifest' | 'blob';
  repository: string;
  reference: string;
  digest: string;
  status: number;
}
export class StoreFull extends Error {
  constructor() {
    super('the disk set aside for images is full');
  }
}

const exists = async (path: string) => (await stat(path).catch(() => undefined)) !== undefined;

async function syncFile(path: string) {
  const handle = await open(path, 'r+');
  try {
    await handle.sync();
  } finally {
    await handle.close();
  }
}

/** Digests that a manifest or index refers to. @throws Error when it is not one. */
function referred(body: Buffer): { kind: 'manifest' | 'blob'; digest: string }[] {
  const doc = JSON.parse(body.toString('utf8')) as {
    manifests?: { digest: string }[];
    config?: { digest: string };
    layers?: { digest: string }[];
  };
  const good = (d: { digest: string }) => {
    if (!/^sha256:[0-9a-f]{64}$/.test(d.digest)) throw new Error('a descriptor has no sha256 digest');
    return d.digest;
  };
  if (Array.isArray(doc.manifests)) return doc.manifests.map((m) => ({ kind: 'manifest', digest: good(m) }));
  if (!doc.config || !Array.isArray(doc.layers)) throw new Error('neither an image index nor an image manifest');
  return [doc.config, ...doc.layers].map((d) => ({ kind: 'blob', digest: good(d) }));
}
