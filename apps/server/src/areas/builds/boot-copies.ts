import { createHash, randomUUID } from 'node:crypto';
import { mkdir, open, readdir, rename, rm, stat, utimes } from 'node:fs/promises';
import { join } from 'node:path';

/** Bytes that copies take at most; the one used longest ago goes first. */
const most = 4e9;

/** A copy that is on its way: what of it is here can be read. */
interface Arriving {
  path: string;
  received: number;
  done: boolean;
  failed?: unknown;
  wake: (() => void)[];
}

/**
 * Copies of what machines boot from, each read once and held against its digest. A controller reads a medium in thousands of small
 * parts, and waits for each a few seconds: what has come so far is given at once, and the end of it only when the digest is right.
 * Copies may be deleted at any time.
 */
export class BootCopies {
  private readonly arriving = new Map<string, Arriving>();
  constructor(private readonly folder: string) {}

  /**
   * Bytes `from` to `to` of a blob; `source` reads it whole from where it is, and throws before its last bytes when it has another digest.
   * @throws whatever `source` throws
   */
  async *read(
    { digest, size }: { digest: string; size: number },
    source: () => AsyncIterable<Uint8Array>,
    from: number,
    to: number,
  ): AsyncGenerator<Uint8Array> {
    const path = join(this.folder, createHash('sha256').update(digest).digest('hex'));
    const held = await stat(path).catch(() => undefined);
    if (held?.size === size) {
      const now = new Date();
      if (now.getTime() - held.mtimeMs > 60_000) await utimes(path, now, now).catch(() => undefined);
      yield* part(path, from, to);
      return;
    }
    const coming = this.arriving.get(digest) ?? this.fetch(digest, path, source);
    for (let at = from; at < to; ) {
      while (coming.received <= at && !coming.done && !coming.failed) await new Promise<void>((wake) => coming.wake.push(wake));
      if (coming.failed) throw coming.failed;
      const here = Math.min(to, coming.received);
      if (here <= at) throw new Error(`${digest} ended after ${coming.received} of ${size} bytes`);
      yield* part(coming.path, at, here, path);
      at = here;
    }
  }

  private fetch(digest: string, path: string, source: () => AsyncIterable<Uint8Array>): Arriving {
    const coming: Arriving = { path: join(this.folder, `.${randomUUID()}`), received: 0, done: false, wake: [] };
    this.arriving.set(digest, coming);
    const tell = () => {
      for (const wake of coming.wake.splice(0)) wake();
    };
    const run = async () => {
      await mkdir(this.folder, { recursive: true, mode: 0o700 });
      const file = await open(coming.path, 'wx', 0o600);
      try {
        for await (const bytes of source()) {
          await file.writeFile(bytes);
          coming.received += bytes.length;
          tell();
        }
      } finally {
        await file.close();
      }
      await rename(coming.path, path);
      await this.prune(path);
    };
    run()
      .catch(async (e: unknown) => {
        await rm(coming.path, { force: true });
        coming.failed = e;
      })
      .finally(() => {
        coming.done = true;
        this.arriving.delete(digest);
        tell();
      });
    return coming;
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

/** `later`: where it lies when it was put in its place in the meantime. */
async function* part(path: string, from: number, to: number, later?: string): AsyncGenerator<Uint8Array> {
  if (from >= to) return;
  const file = await open(path).catch((e: NodeJS.ErrnoException) => {
    if (e.code === 'ENOENT' && later) return open(later);
    throw e;
  });
  yield* file.createReadStream({ start: from, end: to - 1 }) as AsyncIterable<Uint8Array>;
}
