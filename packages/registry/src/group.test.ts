import { createHash, randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { GroupWriter } from './group.ts';
import { Store, StoreFull } from './store.ts';

let dir = '';
beforeEach(() => {
  dir = mkdtempSync(join(tmpdir(), 'group-'));
  mkdirSync(join(dir, 'beside'));
});
afterEach(() => {
  rmSync(dir, { recursive: true, force: true });
});
const sha = (b: Buffer) => `sha256:${createHash('sha256').update(b).digest('hex')}`;

describe('files written in groups', () => {
  it('are all there, whole and under their names, and nothing is left beside them', async () => {
    const w = new GroupWriter(join(dir, 'beside'));
    const bodies = Array.from({ length: 300 }, (_, n) => Buffer.alloc(n * 7, n));
    const stood = await Promise.all(
      bodies.map((body, n) =>
        w.write([[{ path: join(dir, 'content', `${n}`), body, asks: true }], [{ path: join(dir, 'names', `${n % 9}`, `${n}`) }]]),
      ),
    );
    expect(stood.every((s) => s === false)).toBe(true);
    for (const [n, body] of bodies.entries()) {
      expect(readFileSync(join(dir, 'content', `${n}`)).equals(body)).toBe(true);
      expect(readFileSync(join(dir, 'names', `${n % 9}`, `${n}`)).length).toBe(0);
    }
    expect(readdirSync(join(dir, 'beside'))).toEqual([]);
    expect(await w.write([[{ path: join(dir, 'content', '5'), body: 'x', asks: true }]])).toBe(true);
  });

  it('that are alike are one file with many names until one of them is written anew', async () => {
    const w = new GroupWriter(join(dir, 'beside'));
    const put = (n: number, body: string) => w.write([[{ path: join(dir, 'types', `${n}`), body, alike: true }]]);
    await Promise.all([...Array(20).keys()].map((n) => put(n, n % 2 ? 'image' : 'index')));
    const said = () => [...Array(20).keys()].map((n) => readFileSync(join(dir, 'types', `${n}`), 'utf8'));
    expect(said()).toEqual([...Array(20).keys()].map((n) => (n % 2 ? 'image' : 'index')));
    expect(new Set([...Array(20).keys()].map((n) => statSync(join(dir, 'types', `${n}`)).ino)).size).toBeLessThan(20);
    await Promise.all([put(0, 'image'), put(0, 'image')]);
    expect(said()).toEqual([...Array(20).keys()].map((n) => (n % 2 || n === 0 ? 'image' : 'index')));
    expect(readdirSync(join(dir, 'beside'))).toEqual([]);
  });

  it('fail each by itself, with the word of the system, and nothing names what is not there', async () => {
    const w = new GroupWriter(join(dir, 'beside'));
    writeFileSync(join(dir, 'file'), '');
    const put = (content: string, name: string) =>
      w.write([[{ path: join(dir, content), body: 'x' }], [{ path: join(dir, 'names', name), body: name }]]);
    const [good, bad, late] = await Promise.allSettled([put('a', 'a'), put('file/below', 'b'), put('c', 'c')]);
    expect([good.status, bad.status, late.status]).toEqual(['fulfilled', 'rejected', 'fulfilled']);
    expect((bad as PromiseRejectedResult).reason.code).toMatch(/ENOTDIR|EEXIST/);
    expect(readdirSync(join(dir, 'names')).sort()).toEqual(['a', 'c']);
    expect(readdirSync(join(dir, 'beside'))).toEqual([]);
  });
});

describe('small blobs that come at once', () => {
  it('are taken up to the limit to the byte, and no further, however many ask together', async () => {
    const s = await new Store(join(dir, 'store'), { limitBytes: 100_000 }).open();
    const blobs = Array.from({ length: 30 }, () => randomBytes(10_000));
    const ends = await Promise.allSettled(blobs.map((b) => s.putBlob('a/b', sha(b), b)));
    expect(ends.filter((e) => e.status === 'fulfilled')).toHaveLength(10);
    for (const e of ends) if (e.status === 'rejected') expect(e.reason).toBeInstanceOf(StoreFull);
    expect(await s.free()).toBe(0);
    expect(await s.digests()).toHaveLength(10);
  });

  it('are held by the repository that asked, and one of other bytes by none', async () => {
    const s = await new Store(join(dir, 'store')).open();
    const body = randomBytes(500);
    expect(await s.putBlob('a/b', sha(randomBytes(500)), body)).toBe(false);
    expect(await s.digests()).toEqual([]);
    expect(await s.putBlob('a/b', sha(body), body)).toBe(true);
    expect([await s.blobSize('a/b', sha(body)), await s.blobSize('a/c', sha(body))]).toEqual([500, undefined]);
    const used = await s.used();
    // The same again is no more of it.
    expect(await s.putBlob('a/c', sha(body), body)).toBe(true);
    expect([await s.blobSize('a/c', sha(body)), await s.used()]).toEqual([500, used]);
  });

  it('that rotted on the disk are whole again when they come again', async () => {
    const s = await new Store(join(dir, 'store')).open();
    const body = randomBytes(500);
    await s.putBlob('a/b', sha(body), body);
    writeFileSync(s.blobPath(sha(body)), 'rotten');
    await s.putBlob('a/b', sha(body), body);
    expect(readFileSync(s.blobPath(sha(body))).equals(body)).toBe(true);
    expect(existsSync(join(dir, 'store/uploads'))).toBe(true);
  });
});
