import { createHash, randomUUID } from 'node:crypto';
import { createReadStream, createWriteStream } from 'node:fs';
import { mkdir, readdir, rename, rm, stat, utimes } from 'node:fs/promises';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';

/** Bytes that copies take at most; the one used longest ago goes first. */
const most = 4e9;

/**
 * Copies of what machines boot from, each read once and held against its digest. A controller reads a medium in thousands of small
 * parts: asked of the mirror, none of them could be held against anything. Copies may be deleted at any time.
 */
export class BootCopies {
  private readonly arriving = new Map<string, Promise<string>>();
  constructor(private readonly folder: string) {}

  /**
   * Bytes `from` to `to` of a blob; `source` reads it whole from where it is, and throws when it has another digest.
   * @throws whatever `source` throws
   */
  async *read(
    { digest, size }: { digest: string; size: number },
    source: () => AsyncIterable<Uint8Array>,
    from: number,
    to: number,
  ): AsyncGenerator<Uint8Array> {
    const path = await this.path(digest, size, source);
    yield* createReadStream(path, { start: from, end: to - 1 }) as AsyncIterable<Uint8Array>;
  }

  private async path(digest: string, size: number, source: () => AsyncIterable<Uint8Array>): Promise<string> {
    const path = join(this.folder, createHash('sha256').update(digest).digest('hex'));
    const held = await stat(path).catch(() => undefined);
    if (held?.size === size) {
      const now = new Date();
      if (now.getTime() - held.mtimeMs > 60_000) await utimes(path, now, now).catch(() => undefined);
      return path;
    }
    const coming = this.arriving.get(digest) ?? this.fetch(path, source).finally(() => this.arriving.delete(digest));
    this.arriving.set(digest, coming);
    return coming;
  }

  private async fetch(path: string, source: () => AsyncIterable<Uint8Array>): Promise<string> {
    await mkdir(this.folder, { recursive: true, mode: 0o700 });
    const aside = join(this.folder, `.${randomUUID()}`);
    try {
      await pipeline(Readable.from(source()), createWriteStream(aside, { mode: 0o600 }));
      await rename(aside, path);
    } catch (e) {
      await rm(aside, { force: true });
      throw e;
    }
    await this.prune(path);
    return path;
  }

  /** Deletes what is used least, and what a kill left half written. */
  private async prune(newest: string): Promise<void> {
    const files = await Promise.all(
      (await readdir(this.folder)).map(async (name) => {
        const path = join(this.folder, name);
        const s = await stat(path).catch(() => undefined);
        return { path, half: name.startsWith('.'), size: s?.size ?? 0, used: s?.mtimeMs ?? 0 };
      }),
    );
    for (const f of files) if (f.half && Date.now() - f.used > 3_600_000) await rm(f.path, { force: true });
    let held = 0;
    for (const f of files.filter((x) => !x.half).sort((a, b) => b.used - a.used)) {
      held += f.size;
      if (held > most && f.path !== newest) await rm(f.path, { force: true });
    }
  }
}
