import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { mkdir, open, readdir, readFile, rename, rm, stat, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { isPart, pathOf, ShipmentManifest, type ShipmentPiece } from '@praesidor/core/images';
import { Hashing, writeHashed } from '@praesidor/hashing';
import { ProtocolError } from '@praesidor/protocols/dial';
import { signatureFile, signManifest, type SigningKey } from './signature.ts';

/** What a case says of itself, beside the manifest of the whole. */
export interface CaseMark {
  shipment: string;
  number: number;
  of: number;
}

/** A folder that is no case, or one that says what cannot be: what is wrong with it, in words. */
export class NotACase extends Error {}

/**
 * One medium's worth of a shipment: an OCI image layout with a checksum list, the manifest of the whole shipment,
 * and, of blobs that are larger than a case, parts.
 *
 *     oci-layout, index.json   as the OCI image specification has them; layers may lie in another case
 *     blobs/sha256/<hex>       blobs, and the manifests of all images of the shipment
 *     parts/<hex>.<from>       a part of a blob, by its first byte
 *     shipment.json, case.json  the whole shipment, and which case this is
 *     signature.json           who packed it: a signature over shipment.json
 *     SHA256SUMS               every file above, for `sha256sum -c`
 */
export class CaseFolder {
  constructor(readonly dir: string) {}
  private readonly syncs: Promise<void>[] = [];
  file = (path: string) => join(this.dir, path);

  async open(): Promise<this> {
    for (const d of ['blobs/sha256', 'parts']) await mkdir(this.file(d), { recursive: true });
    await writeFile(this.file('oci-layout'), '{"imageLayoutVersion":"1.0.0"}');
    return this;
  }

  size = async (path: string): Promise<number | undefined> => (await stat(this.file(path)).catch(() => undefined))?.size;
  stream = (path: string, from = 0, to?: number) =>
    createReadStream(this.file(path), { start: from, highWaterMark: 1_048_576, ...(to === undefined ? {} : { end: to - 1 }) });
  read = (path: string) => readFile(this.file(path));
  /** Bytes of a piece that arrived before the process ended; they are not fetched again. */
  partial = async (path: string) => (await this.size(`${path}.incoming`)) ?? 0;

  /**
   * Appends to what arrived before, verifies the whole against `want` (hex; not given: any), and only then gives it
   * its name. Answers its SHA-256. @throws ProtocolError `digest`; what arrived is thrown away then
   */
  async take(
    path: string,
    want: string | undefined,
    bytes: AsyncIterable<Buffer>,
    onBytes: (n: number) => void,
  ): Promise<string> {
    const incoming = this.file(`${path}.incoming`);
    const hash = new Hashing();
    let got: string;
    try {
      if (await this.partial(path))
        for await (const chunk of createReadStream(incoming, { highWaterMark: 1_048_576 }))
          await hash.update(own(chunk as Buffer));
      const file = await open(incoming, 'a');
      try {
        await writeHashed(file, bytes, hash, onBytes);
      } finally {
        await file.close();
      }
      got = await hash.digest();
    } catch (e) {
      hash.drop();
      throw fullOr(e);
    }
    if (want && got !== want) {
      await rm(incoming, { force: true });
      throw new ProtocolError('digest', 'source', `${want.slice(0, 12)} arrived with other bytes; they were thrown away`);
    }
    await rename(incoming, this.file(path));
    // On its way to the disk while others arrive; the case is not closed before all of it lies there.
    this.syncs.push(observed(syncFile(this.file(path))));
    return got;
  }

  /** When everything that was taken lies on the disk. */
  async settled(): Promise<void> {
    await Promise.all(this.syncs.splice(0));
  }

  put = async (path: string, body: string | Buffer) => {
    await mkdir(dirname(this.file(path)), { recursive: true });
    try {
      await writeFile(this.file(path), body);
      await syncFile(this.file(path));
    } catch (e) {
      throw fullOr(e);
    }
  };

  /** Describes itself, last: a case without SHA256SUMS was not finished. `sums` are those known already, by path. */
  async close(
    w: ShipmentManifest,
    number: number,
    tops: readonly TopManifest[],
    sums: ReadonlyMap<string, string>,
    signer?: SigningKey,
  ): Promise<void> {
    const own = w.cases.find((c) => c.number === number);
    await this.put('index.json', indexText(tops));
    const manifest = Buffer.from(JSON.stringify(w));
    await this.put('shipment.json', manifest);
    if (signer) await this.put(signatureFile, `${JSON.stringify(signManifest(manifest, signer))}\n`);
    else await rm(this.file(signatureFile), { force: true });
    const mark: CaseMark = { shipment: w.shipment, number, of: w.cases.length };
    await this.put('case.json', `${JSON.stringify(mark)}\n`);
    await this.settled();
    const paths = [
      'case.json',
      'index.json',
      'oci-layout',
      ...(signer ? [signatureFile] : []),
      'shipment.json',
      ...new Set(w.images.flatMap((i) => i.manifests.map((m) => `blobs/sha256/${m.digest.slice(7)}`))),
      ...(own?.pieces.map((p) => pathOf(w, p)) ?? []),
    ].sort();
    const lines: string[] = [];
    for (const path of paths) lines.push(`${sums.get(path) ?? (await this.sha256(path))}  ${path}`);
    await this.put('SHA256SUMS', `${lines.join('\n')}\n`);
  }

  async sha256(path: string): Promise<string> {
    const hash = createHash('sha256');
    for await (const chunk of this.stream(path)) hash.update(chunk as Buffer);
    return hash.digest('hex');
  }

  /** The manifest and which case this is. @throws NotACase */
  async describe(): Promise<{ manifest: ShipmentManifest; mark: CaseMark }> {
    const json = async (path: string, most: number) => {
      const size = await this.size(path);
      if (size === undefined) throw new NotACase(`${this.dir} is no case, or it was not finished: it has no ${path}`);
      if (size > most) throw new NotACase(`${this.dir}: ${path} is larger than ${most / 1e6} MB`);
      try {
        return JSON.parse((await this.read(path)).toString('utf8')) as unknown;
      } catch {
        throw new NotACase(`${this.dir}: ${path} is not JSON; it may have been read only halfway`);
      }
    };
    const mark = (await json('case.json', 10_000)) as CaseMark;
    const read = ShipmentManifest.safeParse(await json('shipment.json', 256_000_000));
    if (!read.success) throw new NotACase(`${this.dir}: shipment.json does not add up: ${read.error.issues[0]?.message}`);
    if (mark.shipment !== read.data.shipment || !read.data.cases.some((c) => c.number === mark.number))
      throw new NotACase(
        `${this.dir}: case.json speaks of case ${mark.number} of ${mark.shipment}, which the manifest does not know`,
      );
    return { manifest: read.data, mark };
  }

  /** Checksums by path; paths that climb out are left out, and nothing is ever read there. */
  async sums(): Promise<Map<string, string>> {
    const text = (await this.size('SHA256SUMS')) === undefined ? '' : (await this.read('SHA256SUMS')).toString('utf8');
    const out = new Map<string, string>();
    for (const line of text.split('\n')) {
      const m = /^([0-9a-f]{64}) [ *]([A-Za-z0-9._/-]+)$/.exec(line);
      if (m && !(m[2] as string).split('/').includes('..') && !(m[2] as string).startsWith('/'))
        out.set(m[2] as string, m[1] as string);
    }
    return out;
  }

  /** Leftovers of a process that was killed. */
  async unfinished(): Promise<string[]> {
    const out: string[] = [];
    for (const d of ['blobs/sha256', 'parts'])
      for (const f of await readdir(this.file(d)).catch(() => [])) if (f.endsWith('.incoming')) out.push(`${d}/${f}`);
    return out;
  }
}

export interface TopManifest {
  digest: string;
  size: number;
  mediaType: string;
  ref: string;
}
const indexText = (tops: readonly TopManifest[]): string =>
  JSON.stringify(
    {
      schemaVersion: 2,
      mediaType: 'application/vnd.oci.image.index.v1+json',
      manifests: tops.map((m) => ({
        mediaType: m.mediaType,
        digest: m.digest,
        size: m.size,
        annotations: { 'org.opencontainers.image.ref.name': m.ref },
      })),
    },
    null,
    1,
  );

/** What a piece must have as its SHA-256, where that is known. */
export const sumOf = (w: ShipmentManifest, p: ShipmentPiece): string | undefined => (isPart(w, p) ? p.sha256 : p.digest.slice(7));

/** A disk without room says so by its own name, and not by that of whoever the bytes came from. */
const fullOr = (e: unknown): unknown =>
  ['ENOSPC', 'EDQUOT'].includes((e as NodeJS.ErrnoException).code ?? '')
    ? new ProtocolError(
        'full',
        'this machine',
        'the disk that cases are packed on is full; what arrived stays, and is gone on with',
      )
    : e;

/** A copy in memory of its own, that can be given away. */
function own(bytes: Buffer): Buffer {
  const out = Buffer.allocUnsafeSlow(bytes.length);
  bytes.copy(out);
  return out;
}

/** Work that is awaited later: a failure before that is kept for whoever awaits it, and ends no process. */
function observed<T>(work: Promise<T>): Promise<T> {
  work.catch(() => undefined);
  return work;
}

async function syncFile(path: string): Promise<void> {
  const file = await open(path, 'r+');
  try {
    await file.datasync();
  } finally {
    await file.close();
  }
}
