import { createReadStream, createWriteStream } from 'node:fs';
import { lstat, mkdir, readdir } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { PassThrough, Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { createGunzip } from 'node:zlib';
import { extract, pack } from 'tar-stream';

/** An archive that is not unpacked: what in it, and why. */
export class ArchiveRefused extends Error {}

export interface UnpackLimits {
  /** Bytes of all files at most. */
  bytes: number;
  files: number;
  /** How many times larger than what is read it may become. */
  expansion: number;
}
export const usualLimits: UnpackLimits = { bytes: 2e12, files: 200_000, expansion: 100 };

/** A folder as a tar archive (POSIX.1-2001), files in the order of their names, with nothing of the machine it was made on. */
export function tarOf(dir: string): Readable {
  const out = pack();
  void (async () => {
    for (const path of await filesOf(dir)) {
      const { size } = await lstat(join(dir, path));
      const entry = out.entry({ name: path, size, mode: 0o644, mtime: new Date(0) });
      await pipeline(createReadStream(join(dir, path)), entry);
    }
    out.finalize();
  })().catch((e: Error) => out.destroy(e));
  return Readable.from(out as unknown as AsyncIterable<Buffer>, { objectMode: false });
}

async function filesOf(dir: string, at = ''): Promise<string[]> {
  const out: string[] = [];
  for (const e of (await readdir(join(dir, at), { withFileTypes: true })).sort((a, b) => (a.name < b.name ? -1 : 1))) {
    const path = at ? `${at}/${e.name}` : e.name;
    if (e.isDirectory()) out.push(...(await filesOf(dir, path)));
    else if (e.isFile() && !e.name.endsWith('.incoming')) out.push(path);
  }
  return out;
}

/** What would let a name out of the folder, or make two names of one file. */
function wrongName(name: string): string | undefined {
  if (name.length > 300) return 'its name is longer than 300 characters';
  if (name.startsWith('/') || /^[A-Za-z]:/.test(name)) return 'its path begins at the root';
  if (name.includes('\\') || name.includes('\0')) return 'its name has a character that some machines take for something else';
  const parts = name.replace(/^\.\//, '').replace(/\/$/, '').split('/');
  return parts.some((p) => p === '..') ? 'its path climbs out' : undefined;
}

/**
 * Unpacks a tar archive, plain or gzip, into a folder. Nothing is written for a path that climbs out, a link, a
 * device, more than the limits, or an expansion that no image has. What was written before stays, for going on.
 * @throws ArchiveRefused naming the entry
 */
export async function unpack(
  stream: Readable,
  dir: string,
  limits: UnpackLimits = usualLimits,
  onBytes: (n: number) => void = () => {},
): Promise<{ files: number; bytes: number }> {
  let read = 0;
  let bytes = 0;
  let files = 0;
  const counted = new PassThrough();
  const head = await firstBytes(stream);
  counted.on('data', (c: Buffer) => {
    read += c.length;
  });
  const gzip = head[0] === 0x1f && head[1] === 0x8b;
  let writing: Promise<unknown> = Promise.resolve();
  let current: PassThrough | undefined;
  const tar = extract();
  // Faults are taken from the pipeline; without listeners of their own the streams would end the process.
  tar.on('error', () => undefined);
  tar.on('entry', (header, entry, next) => {
    entry.on('error', () => undefined);
    const refuse = (why: string) => next(new ArchiveRefused(`${JSON.stringify(header.name)}: ${why}; nothing more was unpacked`));
    const wrong = wrongName(header.name);
    if (wrong) return refuse(wrong);
    if (header.type === 'directory') {
      entry.resume();
      return next();
    }
    if (header.type !== 'file') return refuse(`it is a ${header.type}; a case has files and folders only`);
    files++;
    if (files > limits.files) return refuse(`more than ${limits.files} files`);
    if (bytes + (header.size ?? 0) > limits.bytes) return refuse(`more than ${limits.bytes} bytes`);
    const path = join(dir, header.name);
    const guard = new PassThrough({
      transform(chunk: Buffer, _, done) {
        bytes += chunk.length;
        onBytes(chunk.length);
        if (bytes > limits.expansion * Math.max(read, 65_536))
          return done(
            new ArchiveRefused(
              `${JSON.stringify(header.name)}: it expands more than ${limits.expansion} times; nothing more was unpacked`,
            ),
          );
        done(null, chunk);
      },
    });
    current = guard;
    writing = mkdir(dirname(path), { recursive: true })
      .then(() => pipeline(entry, guard, createWriteStream(path)))
      .then(
        () => next(),
        (e: Error) => next(e),
      );
  });
  const chain = gzip ? pipeline(again(head, stream), counted, createGunzip(), tar) : pipeline(again(head, stream), counted, tar);
  try {
    await chain;
  } catch (e) {
    // What is being written ends before anybody hears of it: the folder is theirs then.
    current?.destroy();
    await writing.catch(() => undefined);
    if (e instanceof ArchiveRefused) throw e;
    throw new ArchiveRefused(`the archive ends or breaks in the middle, after ${files} files: ${(e as Error).message}`);
  }
  if (!files) throw new ArchiveRefused('there is no file in the archive');
  return { files, bytes };
}

async function firstBytes(stream: Readable): Promise<Buffer> {
  for (;;) {
    const chunk = stream.read() as Buffer | null;
    if (chunk) return chunk;
    if (stream.readableEnded || stream.destroyed) return Buffer.alloc(0);
    await new Promise<void>((done, fail) => {
      const clear = () => {
        stream.off('readable', ok).off('end', ok).off('error', bad);
      };
      const ok = () => {
        clear();
        done();
      };
      const bad = (e: Error) => {
        clear();
        fail(e);
      };
      stream.once('readable', ok).once('end', ok).once('error', bad);
    });
  }
}
async function* again(head: Buffer, rest: Readable): AsyncGenerator<Buffer> {
  yield head;
  for await (const chunk of rest) yield chunk as Buffer;
}
