import { createHash } from 'node:crypto';
import { mkdtempSync, readdirSync, rmSync, statSync, truncateSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, describe, expect, it, vi } from 'vitest';
import { BootCopies } from '../src/areas/builds/boot-copies.ts';
import { bytesOf, rangeOf, readPieces, sizeOf, zerosOf } from '../src/areas/builds/pieces.ts';

const read = async (from: AsyncIterable<Uint8Array>) => {
  const parts: Uint8Array[] = [];
  for await (const part of from) parts.push(part);
  return Buffer.concat(parts);
};

describe('pieces that follow one another', () => {
  it('give every part as it would be cut out of the whole', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.oneof(fc.uint8Array({ maxLength: 50 }), fc.integer({ min: 0, max: 70_000 })), { maxLength: 6 }),
        fc.nat(80_000),
        fc.nat(80_000),
        async (made, a, b) => {
          const pieces = made.map((m) => (typeof m === 'number' ? zerosOf(m) : bytesOf(m)));
          const whole = Buffer.concat(made.map((m) => (typeof m === 'number' ? Buffer.alloc(m) : m)));
          expect(sizeOf(pieces)).toBe(whole.length);
          const [from, to] = [Math.min(a, b, whole.length), Math.min(Math.max(a, b), whole.length)];
          expect((await read(readPieces(pieces, from, to))).equals(whole.subarray(from, to))).toBe(true);
        },
      ),
      { numRuns: 60 },
    );
  });

  it.each([
    [undefined, 'whole'],
    ['bytes=0-', { from: 0, to: 10 }],
    ['bytes=3-5', { from: 3, to: 6 }],
    ['bytes=3-99', { from: 3, to: 10 }],
    ['bytes=-4', { from: 6, to: 10 }],
    ['bytes=-40', { from: 0, to: 10 }],
    ['bytes=-0', 'none'],
    ['bytes=10-', 'none'],
    ['bytes=5-3', 'whole'],
    ['bytes=-', 'whole'],
    ['bytes=0-1,4-5', 'whole'],
    ['lines=0-1', 'whole'],
  ] as const)('of 10 bytes, Range %s means %j', (header, means) => {
    expect(rangeOf(header, 10)).toEqual(means);
  });
});

describe('copies of what machines boot from', () => {
  const dir = mkdtempSync(join(tmpdir(), 'copies-'));
  afterAll(() => rmSync(dir, { recursive: true, force: true }));
  const bytes = Buffer.from('0123456789');
  const blob = (n: number) => ({ digest: `sha256:${createHash('sha256').update(String(n)).digest('hex')}`, size: bytes.length });

  it('are read from the source once, whoever asks at the same time', async () => {
    const copies = new BootCopies(join(dir, 'a'));
    let asked = 0;
    const source = async function* () {
      asked++;
      yield bytes;
    };
    const parts = await Promise.all([0, 3, 7].map((at) => read(copies.read(blob(1), source, at, at + 2))));
    expect(parts.map(String)).toEqual(['01', '34', '78']);
    expect(String(await read(copies.read(blob(1), source, 9, 10)))).toBe('9');
    expect(asked).toBe(1);
  });

  it('give what has come so far, and wait for the rest', async () => {
    const copies = new BootCopies(join(dir, 'early'));
    let go = () => {};
    const held = new Promise<void>((done) => {
      go = done;
    });
    const source = async function* () {
      yield bytes.subarray(0, 6);
      await held;
      yield bytes.subarray(6);
    };
    expect(String(await read(copies.read(blob(5), source, 1, 4)))).toBe('123');
    const rest = read(copies.read(blob(5), source, 4, 9));
    const still = Symbol('still waits');
    expect(await Promise.race([rest, Promise.resolve(still)])).toBe(still);
    go();
    expect(String(await rest)).toBe('45678');
  });

  it('are not there when the source breaks off, and asked for again', async () => {
    const copies = new BootCopies(join(dir, 'b'));
    const broken = async function* () {
      yield bytes.subarray(0, 5);
      throw new Error('read with other bytes');
    };
    await expect(read(copies.read(blob(2), broken, 0, 7))).rejects.toThrow('other bytes');
    expect(readdirSync(join(dir, 'b'))).toEqual([]);
    const whole = async function* () {
      yield bytes;
    };
    expect(String(await read(copies.read(blob(2), whole, 0, 2)))).toBe('01');
  });

  it('of more than 4 GB, the one used longest ago goes; a half one of a process that was killed goes too', async () => {
    const folder = join(dir, 'c');
    const copies = new BootCopies(folder);
    const source = async function* () {
      yield bytes;
    };
    await read(copies.read(blob(3), source, 0, 1));
    const sparse = (name: string, size: number, hoursAgo: number) => {
      writeFileSync(join(folder, name), '');
      truncateSync(join(folder, name), size);
      const at = new Date(Date.now() - hoursAgo * 3_600_000);
      utimesSync(join(folder, name), at, at);
    };
    sparse('older', 3e9, 3);
    sparse('old', 3e9, 2);
    sparse('.half', 5, 2);
    await read(copies.read(blob(4), source, 0, 1));
    const left = await vi.waitFor(() => {
      const names = readdirSync(folder);
      expect(names).not.toContain('older');
      expect(names).not.toContain('.half');
      return names;
    });
    expect(left).toContain('old');
    expect(left.filter((n) => statSync(join(folder, n)).size === 10)).toHaveLength(2);
  });
});
