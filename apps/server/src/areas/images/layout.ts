import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { mkdir, open, readdir, readFile, rename, rm, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { ProtocolError } from '@praesidor/protocols/dial';

/** A case: an OCI image layout on disk with a checksum list, as it travels on media. */
export class CaseLayout {
  constructor(readonly dir: string) {}
  private readonly syncs: Promise<void>[] = [];
  private path = (digest: string) => join(this.dir, 'blobs', 'sha256', digest.slice(7));

  async open(): Promise<this> {
    await mkdir(join(this.dir, 'blobs/sha256'), { recursive: true });
    await writeFile(join(this.dir, 'oci-layout'), '{"imageLayoutVersion":"1.0.0"}');
    return this;
  }

  has = async (digest: string, size?: number) => {
    const s = await stat(this.path(digest)).catch(() => undefined);
    return s !== undefined && (size === undefined || s.size === size);
  };
  /** Bytes of a blob that arrived before the process ended; they are not fetched again. */
  partial = async (digest: string) => (await stat(`${this.path(digest)}.part`).catch(() => undefined))?.size ?? 0;

  /** Appends to what is there, verifies the whole, and only then gives it its name. @throws ProtocolError `digest` */
  async take(digest: string, bytes: AsyncIterable<Buffer>, onBytes: (n: number) => void): Promise<void> {
    const part = `${this.path(digest)}.part`;
    const hash = createHash('sha256');
    if (await this.partial(digest)) for await (const chunk of createReadStream(part)) hash.update(chunk as Buffer);
    const file = await open(part, 'a');
    let waiting: Buffer[] = [];
    let size = 0;
    let writing: Promise<unknown> = Promise.resolve();
    // Written a megabyte at a time, while the next one arrives.
    const flush = async () => {
      await writing;
      if (size) writing = observed(file.writev(waiting));
      waiting = [];
      size = 0;
    };
    try {
      for await (const chunk of bytes) {
        hash.update(chunk);
        waiting.push(chunk);
        size += chunk.length;
        onBytes(chunk.length);
        if (size >= 1_048_576) await flush();
      }
    } finally {
      await flush();
      await writing;
      await file.close();
    }
    if (`sha256:${hash.digest('hex')}` !== digest) {
      await rm(part, { force: true });
      throw new ProtocolError('digest', 'source', `${digest.slice(0, 19)} arrived with other bytes; they were thrown away`);
    }
    await rename(part, this.path(digest));
    // On its way to the disk while others arrive; the case is not closed before all of it lies there.
    this.syncs.push(observed(sync(this.path(digest))));
  }

  put = (digest: string, body: Buffer) => writeFile(this.path(digest), body);
  get = (digest: string) => readFile(this.path(digest));
  stream = (digest: string) => createReadStream(this.path(digest));

  /** index.json, and SHA256SUMS over everything, in the order of names. */
  async close(manifests: { digest: string; size: number; mediaType: string; ref: string }[]): Promise<void> {
    await writeFile(
      join(this.dir, 'index.json'),
      JSON.stringify(
        {
          schemaVersion: 2,
          manifests: manifests.map((m) => ({
            mediaType: m.mediaType,
            digest: m.digest,
            size: m.size,
            annotations: { 'org.opencontainers.image.ref.name': m.ref },
          })),
        },
        null,
        1,
      ),
    );
    await Promise.all(this.syncs.splice(0));
    const blobs = (await readdir(join(this.dir, 'blobs/sha256'))).filter((f) => /^[0-9a-f]{64}$/.test(f)).sort();
    const index = createHash('sha256')
      .update(await readFile(join(this.dir, 'index.json')))
      .digest('hex');
    await writeFile(
      join(this.dir, 'SHA256SUMS'),
      `${[...blobs.map((hex) => `${hex}  blobs/sha256/${hex}`), `${index}  index.json`].join('\n')}\n`,
    );
  }
}

/** Work that is awaited later: a failure before that is kept for whoever awaits it, and ends no process. */
function observed<T>(work: Promise<T>): Promise<T> {
  work.catch(() => undefined);
  return work;
}

async function sync(path: string): Promise<void> {
  const file = await open(path, 'r+');
  try {
    await file.datasync();
  } finally {
    await file.close();
  }
}
