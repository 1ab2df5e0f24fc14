import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { open, readdir, stat, statfs, writeFile } from 'node:fs/promises';
import { dirname } from 'node:path';

export class StoreFull extends Error {
  constructor(detail = 'the disk set aside for images is full') {
    super(detail);
  }
}

export const isFull = (cause: unknown): boolean =>
  cause instanceof StoreFull || ['ENOSPC', 'EDQUOT', 'EFBIG'].includes((cause as NodeJS.ErrnoException)?.code ?? '');

export const exists = async (path: string) => (await stat(path).catch(() => undefined)) !== undefined;

export const shaOf = (body: Buffer) => `sha256:${createHash('sha256').update(body).digest('hex')}`;

/** SHA-256 of a file's bytes, as a digest. */
export async function digestOfFile(path: string): Promise<string> {
  const hash = createHash('sha256');
  for await (const chunk of createReadStream(path, { highWaterMark: 1_048_576 })) hash.update(chunk as Buffer);
  return `sha256:${hash.digest('hex')}`;
}

export async function syncFile(path: string): Promise<void> {
  const handle = await open(path, 'r+');
  try {
    await handle.datasync();
  } finally {
    await handle.close();
  }
}

/** A small file that is there whole, also after the power went. */
export async function writeSynced(path: string, body: string | Buffer, mode = 0o666): Promise<void> {
  const handle = await open(path, 'w', mode);
  try {
    await handle.writeFile(body);
    await handle.datasync();
  } finally {
    await handle.close();
  }
}

/**
 * Names in a folder made to last. Many at once share one sync: whoever comes while one is under way waits for the
 * next, which begins after all of them.
 */
export class FolderSync {
  private readonly running = new Map<string, Promise<void>>();
  private readonly next = new Map<string, Promise<void>>();

  of(dir: string): Promise<void> {
    const now = this.running.get(dir);
    if (!now) return this.begin(dir);
    let after = this.next.get(dir);
    if (!after) {
      after = now
        .catch(() => undefined)
        .then(() => {
          this.next.delete(dir);
          return this.begin(dir);
        });
      this.next.set(dir, after);
    }
    return after;
  }
  private begin(dir: string): Promise<void> {
    const sync = (async () => {
      const handle = await open(dir, 'r');
      try {
        await handle.sync();
      } finally {
        await handle.close();
      }
    })().finally(() => {
      if (this.running.get(dir) === sync) this.running.delete(dir);
    });
    this.running.set(dir, sync);
    return sync;
  }
  file = async (path: string, body: string) => {
    await writeFile(path, body);
    await this.of(dirname(path));
  };
}

/** Bytes of all files directly in a folder. */
export async function sizeOfFolder(dir: string): Promise<number> {
  const names = await readdir(dir);
  let total = 0;
  // Some at a time: ten thousand one after the other take a second, and all at once as many file handles.
  for (let i = 0; i < names.length; i += 64)
    for (const s of await Promise.all(names.slice(i, i + 64).map((n) => stat(`${dir}/${n}`).catch(() => ({ size: 0 })))))
      total += s.size;
  return total;
}

/** Bytes that are free where a folder lies, for those who are not root. */
export async function freeBytes(dir: string): Promise<number> {
  const s = await statfs(dir);
  return s.bavail * s.bsize;
}

/** Many may write side by side; whoever tidies up is alone. */
export class Turns {
  private writers = 0;
  private alone: Promise<void> | undefined;
  private idle: (() => void)[] = [];

  async beside<T>(act: () => Promise<T>): Promise<T> {
    while (this.alone) await this.alone;
    this.writers++;
    try {
      return await act();
    } finally {
      if (--this.writers === 0) for (const wake of this.idle.splice(0)) wake();
    }
  }
  async apart<T>(act: () => Promise<T>): Promise<T> {
    while (this.alone) await this.alone;
    let over = () => {};
    this.alone = new Promise((done) => {
      over = done;
    });
    try {
      if (this.writers) await new Promise<void>((done) => this.idle.push(done));
      return await act();
    } finally {
      this.alone = undefined;
      over();
    }
  }
}
