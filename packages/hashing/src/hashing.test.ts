import { createHash, randomBytes } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { open } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { afterAll, describe, expect, it } from 'vitest';
import { Hashing, writeHashed } from './index.ts';

const hex = (b: Buffer) => createHash('sha256').update(b).digest('hex');
/** A copy that nobody else has a part of, as `update` wants it. */
const own = (b: Buffer) => {
  const copy = Buffer.allocUnsafeSlow(b.length);
  b.copy(copy);
  return copy;
};
const dir = mkdtempSync(join(tmpdir(), 'hashing-'));
afterAll(() => rmSync(dir, { recursive: true, force: true }));

describe('hashing beside the thread that moves the bytes', () => {
  it.each([0, 1, 65_535, 65_536, 65_537, 3_000_000])('has the digest of %d bytes, however they were cut', async (size) => {
    const bytes = randomBytes(size);
    for (const cut of [1000, 65_536, 1_048_576]) {
      const h = new Hashing();
      if (size / cut > 500) continue;
      for (let at = 0; at < size; at += cut) await h.update(own(bytes.subarray(at, at + cut)));
      expect(await h.digest()).toBe(hex(bytes));
    }
  });
  it('keeps many apart', async () => {
    const all = Array.from({ length: 40 }, () => randomBytes(200_000));
    const digests = await Promise.all(
      all.map(async (bytes) => {
        const h = new Hashing();
        for (let at = 0; at < bytes.length; at += 30_000) await h.update(own(bytes.subarray(at, at + 30_000)));
        return h.digest();
      }),
    );
    expect(digests).toEqual(all.map(hex));
  });
  it('lets go of one that nobody needs, before and after it went to the other thread', async () => {
    new Hashing().drop();
    const h = new Hashing();
    await h.update(own(randomBytes(100_000)));
    h.drop();
    const next = new Hashing();
    await next.update(own(Buffer.from('a')));
    expect(await next.digest()).toBe(hex(Buffer.from('a')));
  });
});

describe('writing and hashing a stream', () => {
  it('appends all of it, and counts it', async () => {
    const bytes = randomBytes(2_500_000);
    async function* pieces() {
      for (let at = 0; at < bytes.length; at += 16_384) yield bytes.subarray(at, at + 16_384);
    }
    const file = await open(join(dir, 'whole'), 'a');
    const h = new Hashing();
    let counted = 0;
    expect(
      await writeHashed(file, pieces(), h, (n) => {
        counted += n;
      }),
    ).toBe(2_500_000);
    await file.close();
    expect(counted).toBe(2_500_000);
    expect(readFileSync(join(dir, 'whole')).equals(bytes)).toBe(true);
    expect(await h.digest()).toBe(hex(bytes));
  });
  it('keeps what arrived before the stream broke', async () => {
    const bytes = randomBytes(50_000);
    async function* torn() {
      yield bytes;
      throw new Error('closed in the middle');
    }
    const file = await open(join(dir, 'torn'), 'a');
    await expect(writeHashed(file, torn(), undefined)).rejects.toThrow('closed in the middle');
    await file.close();
    expect(readFileSync(join(dir, 'torn')).equals(bytes)).toBe(true);
  });
  it('writes what came while it waits for more', async () => {
    let go = () => {};
    const more = new Promise<void>((done) => {
      go = done;
    });
    async function* slow() {
      yield Buffer.from('first ');
      await more;
      yield Buffer.from('then');
    }
    const file = await open(join(dir, 'slow'), 'a');
    const written = writeHashed(file, slow(), undefined);
    while (readFileSync(join(dir, 'slow')).length < 6) await pause(10);
    go();
    expect(await written).toBe(10);
    await file.close();
  });
});
