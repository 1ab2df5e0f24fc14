import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { mkdir, open, readdir, readFile, rename, rm, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { ProtocolError } from '@praesidor/protocols/dial';

/** A case: an OCI image layout on disk with a checksum list, as it travels on media. */
export class CaseLayout {
  constructor(readonly dir: string) {}
  private readonly unsynced = new Set<string>();
  private path = (digest: string) => join(this.dir, 'blobs', 'sha256', digest.slice(7));

  async open(): Promise<this> {
    await mkdir(join(this.dir, 'blobs/sha256'), { recursive: true });
    await writeFile(join(this.dir, 'oci-layout'), '{"imageLayoutVersion":"1.0.0"}');
    return this;
  }

  has = async (digest: string, size?: number) => { const s = await stat(this.path(digest)).catch(() => undefined); return s !== undefined && (size === undefined || s.size === size); };
  /** Bytes of a blob that arrived before the process ended; they are not fetched again. */
  partial = async (digest: string) => (await stat(`${this.path(digest)}.part`).catch(() => undefined))?.size ?? 0;

  /** Appends to what is there, verifies the whole, and only then gives it its name. @throws ProtocolError `digest` */
  async take(digest: string, bytes: AsyncIterable<Buffer>, onBytes: (n: number) => void): Promise<void> {
    const part = `${this.path(digest)}.part`;
    const hash = createHash('sha256');
    if (await this.partial(digest)) for await (const chunk of createReadStream(part)) hash.update(chunk as Buffer);
    const file = await open(part, 'a');
    try {
      for await (const chunk of bytes) { hash.update(chunk); await file.write(chunk); onBytes(chunk.length); }
      // Handed to the disk now, waited for when the case is closed: blobs need not queue behind each other's syncs.
      this.unsynced.add(digest);
    } finally { await file.close(); }
    if (`sha256:${hash.digest('hex')}` !== digest) { await rm(part, { force: true }); throw new ProtocolError('digest', 'source', `${digest.slice(0, 19)} arrived with other bytes; they were thrown away`); }
    await rename(part, this.path(digest));
  }

  /** Waits until every blob taken by this process lies on the disk, eight at a time. */
  private async sync(): Promise<void> {
    const left = [...this.unsynced];
    const worker = async () => { for (let d = left.pop(); d; d = left.pop()) { const f = await open(this.path(d), 'r+'); try { await f.datasync(); } finally { await f.close(); } } };
    await Promise.all(Array.from({ length: 8 }, worker));
    this.unsynced.clear();
  }

  put = (digest: string, body: Buffer) => writeFile(this.path(digest), body);
  get = (digest: string) => readFile(this.path(digest));
  stream = (digest: string) => createReadStream(this.path(digest));

  /** index.json, and SHA256SUMS over everything, in the order of names. */
  async close(manifests: { digest: string; size: number; mediaType: string; ref: string }[]): Promise<void> {
    await writeFile(join(this.dir, 'index.json'), JSON.stringify({ schemaVersion: 2, manifests: manifests.map((m) => ({ mediaType: m.mediaType, digest: m.digest, size: m.size, annotations: { 'org.opencontainers.image.ref.name': m.ref } })) }, null, 1));
    await this.sync();
    const blobs = (await readdir(join(this.dir, 'blobs/sha256'))).filter((f) => /^[0-9a-f]{64}$/.test(f)).sort();
    const index = createHash('sha256').update(await readFile(join(this.dir, 'index.json'))).digest('hex');
    await writeFile(join(this.dir, 'SHA256SUMS'), `${[...blobs.map((hex) => `${hex}  blobs/sha256/${hex}`), `${index}  index.json`].join('\n')}\n`);
  }
}
