import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { gzipSync } from 'node:zlib';
import { pack } from 'tar-stream';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { Closed, Pacer, tarOf, unpack } from './index.ts';

let dir: string;
beforeEach(() => {
  dir = mkdtempSync(join(tmpdir(), 'archive-'));
});
afterEach(() => rmSync(dir, { recursive: true, force: true }));

type Header = { name: string; type?: 'file' | 'symlink' | 'link' | 'directory' | 'character-device' | 'fifo'; linkname?: string };
async function tar(...entries: (Header & { body?: string | Buffer })[]): Promise<Buffer> {
  const p = pack();
  for (const { body, ...h } of entries) p.entry(h as never, (body ?? '') as never);
  p.finalize();
  return buffer(p as unknown as AsyncIterable<Buffer>);
}
const take = (bytes: Buffer, limits?: Parameters<typeof unpack>[2]) => {
  const chunks: Buffer[] = [];
  for (let at = 0; at < bytes.length; at += 10_000) chunks.push(bytes.subarray(at, at + 10_000));
  return unpack(Readable.from(chunks), join(dir, 'out'), limits).then(
    (r) => r,
    (e: Error) => e.message,
  );
};

describe('archives', () => {
  it('are written as tar reads them, and read as they were written', async () => {
    mkdirSync(join(dir, 'in/blobs'), { recursive: true });
    writeFileSync(join(dir, 'in/a.json'), '{}');
    writeFileSync(join(dir, 'in/blobs/b'), Buffer.alloc(100_000, 7));
    writeFileSync(join(dir, 'in/blobs/c.incoming'), 'half');
    const bytes = await buffer(tarOf(join(dir, 'in')));
    writeFileSync(join(dir, 'case.tar'), bytes);
    expect(
      execFileSync('tar', ['-tf', join(dir, 'case.tar')])
        .toString()
        .trim()
        .split('\n'),
    ).toEqual(['a.json', 'blobs/b']);
    expect(await take(bytes)).toEqual({ files: 2, bytes: 100_002 });
    expect(readFileSync(join(dir, 'out/blobs/b')).equals(Buffer.alloc(100_000, 7))).toBe(true);
    // And what GNU tar makes, with gzip.
    execFileSync('tar', ['-czf', join(dir, 'case.tgz'), '-C', join(dir, 'in'), 'a.json']);
    expect(await take(readFileSync(join(dir, 'case.tgz')))).toMatchObject({ files: 1 });
  });
  it.each<[string, Header, string]>([
    ['a path that climbs out', { name: '../outside' }, 'its path climbs out'],
    ['one that climbs out further down', { name: 'blobs/../../outside' }, 'its path climbs out'],
    ['a path from the root', { name: '/etc/outside' }, 'its path begins at the root'],
    ['a backslash', { name: '..\\outside' }, 'for something else'],
    ['a symbolic link', { name: 'blobs', type: 'symlink', linkname: '/etc' }, 'it is a symlink'],
    ['a hard link', { name: 'x', type: 'link', linkname: '../../etc/passwd' }, 'it is a link'],
    ['a device', { name: 'x', type: 'character-device' }, 'it is a character-device'],
  ])('with %s are refused, and nothing is written for it', async (_, header, why) => {
    expect(await take(await tar({ name: 'good', body: 'x' }, header))).toContain(why);
    expect(readdirSync(dir).sort()).toEqual(['out']);
    expect(readdirSync(join(dir, 'out'))).toEqual(['good']);
  });
  it('that expand a thousand times are refused before the disk is full', async () => {
    const bomb = gzipSync(await tar({ name: 'zeros', body: Buffer.alloc(50_000_000) }));
    expect(bomb.length).toBeLessThan(51_000);
    expect(await take(bomb)).toContain('it expands more than 100 times');
    expect(existsSync(join(dir, 'out/zeros')) ? readFileSync(join(dir, 'out/zeros')).length : 0).toBeLessThan(10_000_000);
  });
  it('have no more files and bytes than allowed', async () => {
    expect(
      await take(await tar({ name: 'a', body: 'x' }, { name: 'b', body: 'x' }), { bytes: 100, files: 1, expansion: 100 }),
    ).toContain('more than 1 files');
    expect(await take(await tar({ name: 'a', body: 'x'.repeat(101) }), { bytes: 100, files: 9, expansion: 100 })).toContain(
      'more than 100 bytes',
    );
  });
  it('that break off in the middle say so', async () => {
    const whole = await tar({ name: 'a', body: 'x'.repeat(5000) }, { name: 'b', body: 'y'.repeat(5000) });
    expect(await take(whole.subarray(0, 7000))).toContain('the archive ends or breaks in the middle');
    expect(await take(Buffer.alloc(0))).toContain('no file in the archive');
  });
});

describe('the pacer', () => {
  const driven = () => {
    let now = Date.parse('2026-11-24T04:59:50Z');
    return { now: () => now, sleep: async (ms: number) => void (now += ms) };
  };
  it('lets through no more than the rate, all transfers together', async () => {
    const clock = driven();
    const p = new Pacer(8, undefined, clock); // 1 MB/s; the bucket holds a quarter of a second
    const began = clock.now();
    const move = async () => {
      for (let n = 0; n < 50; n++) await p.pass(50_000);
    };
    await Promise.all([move(), move()]);
    // 2 × 50 × 50 kB = 5 MB at 1 MB/s = 5 s, less the 250 kB that were in the bucket
    expect(clock.now() - began).toBeGreaterThanOrEqual(4750 - 50);
    expect(clock.now() - began).toBeLessThanOrEqual(5000);
  });
  it('stops when the hours end, and says when they begin again', async () => {
    const clock = driven();
    const p = new Pacer(
      8,
      (at) => (at < '2026-11-24T05:00:00' ? { open: true } : { open: false, until: '2026-11-25T01:00:00.000Z' }),
      clock,
    );
    let moved = 0;
    const act = async () => {
      for (;;) {
        await p.pass(100_000);
        moved += 100_000;
      }
    };
    await expect(act()).rejects.toEqual(new Closed('2026-11-25T01:00:00.000Z'));
    // Ten seconds were left at 1 MB/s; the clock is asked once a second
    expect(moved).toBeGreaterThanOrEqual(10_000_000);
    expect(moved).toBeLessThanOrEqual(11_400_000);
  });
});
