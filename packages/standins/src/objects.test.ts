import { execFile } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import type { Server } from 'node:https';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { anywhere, Dialer, Exits } from '@praesidor/protocols/dial';
import { type Bucket, type BucketAt, openBucket } from '@praesidor/protocols/s3';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { makeCertificate, type Pair } from './certificates.ts';
import { Faults } from './faults.ts';
import { Objects, objectsServer } from './objects.ts';

const dir = mkdtempSync(join(tmpdir(), 'objects-'));
const faults = new Faults();
const host = 'objects.bw.kestrelferries.example';
let server: Server;
let objects: Objects;
let ca: Pair;
let port = 0;
const dialer = new Dialer(new Exits([], anywhere), async () => '127.0.0.1');
const open: Bucket[] = [];
const bucket = (more: Partial<BucketAt> = {}): Bucket => {
  const b = openBucket({
    dialer,
    host,
    port,
    bucket: 'backups',
    region: 'bw',
    trust: { ca: ca.cert },
    credential: { user: 'keeper', secret: 'breakwater-demo-9' },
    waitMs: 1,
    ...more,
  });
  open.push(b);
  return b;
};
/** A program that is not ours, which signs by itself where it has an account. */
const curl = (path: string, ...args: string[]) =>
  new Promise<{ status: number; body: string }>((done, fail) => {
    const signs = args[0] === 'unsigned' ? [] : ['--aws-sigv4', 'aws:amz:bw:s3', '--user', 'keeper:breakwater-demo-9'];
    const rest = args[0] === 'unsigned' ? args.slice(1) : args;
    const to = `${host}:${port}`;
    // A store of objects asks for the digest of what is sent; curl signs the one that it is given.
    const sent = rest.includes('-T')
      ? readFileSync(rest[rest.indexOf('-T') + 1] as string)
      : rest.includes('-d')
        ? (rest[rest.indexOf('-d') + 1] as string)
        : '';
    const digest = rest.some((a) => a.startsWith('x-amz-content-sha256'))
      ? []
      : ['-H', `x-amz-content-sha256: ${createHash('sha256').update(sent).digest('hex')}`];
    execFile(
      'curl',
      [
        '-sS',
        '--max-time',
        '10',
        '--cacert',
        join(dir, 'ca.pem'),
        '--connect-to',
        `${to}:127.0.0.1:${port}`,
        ...signs,
        ...(signs.length ? digest : []),
        '-w',
        '\n%{http_code}',
        ...rest,
        `https://${to}${path}`,
      ],
      { encoding: 'latin1' },
      (e, out, err) => {
        if (e) return fail(new Error(err));
        const cut = out.lastIndexOf('\n');
        done({ status: Number(out.slice(cut + 1)), body: out.slice(0, cut) });
      },
    );
  });

beforeAll(async () => {
  ca = await makeCertificate({ commonName: 'Breakwater Hall CA', isCa: true, days: 10 });
  writeFileSync(join(dir, 'ca.pem'), ca.cert);
  const pair = await makeCertificate({ commonName: host, names: [host], days: 5, ca });
  objects = new Objects(
    {
      name: 'bw-objects',
      host,
      address: '10.40.8.60',
      port: 9000,
      ca: 'bw',
      region: 'bw',
      buckets: ['backups', 'others'],
      users: { keeper: 'breakwater-demo-9' },
      room: 5_000_000,
    },
    join(dir, 'store'),
    faults,
  );
  server = objectsServer(objects, pair);
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  port = (server.address() as AddressInfo).port;
});
afterEach(() => {
  for (const f of faults.list()) faults.lift(f);
  for (const b of open.splice(0)) b.close();
});
afterAll(async () => {
  await dialer.close();
  server.close();
  server.closeAllConnections();
  rmSync(dir, { recursive: true, force: true });
});
const listed = async (b: Bucket, prefix: string) => {
  const out: string[] = [];
  for await (const s of b.list(prefix)) out.push(s.name);
  return out;
};
const plant = (kind: 'store-busy' | 'store-full' | 'store-clock' | 'store-region' | 'store-cuts') =>
  faults.plant({ kind, subject: 'bw-objects' });

describe('objects of a store', () => {
  const odd = "a/b c+d(e)'f*!~_-.é";
  it('are put, read, looked at, listed and deleted by our client', async () => {
    const b = bucket();
    const bytes = Buffer.from([0, 1, 2, 255, 254]);
    expect(await b.put(odd, bytes)).toBe(true);
    expect(await b.get(odd)).toEqual(bytes);
    expect([await b.has(odd), await b.has('a/none')]).toEqual([true, false]);
    expect(await listed(b, 'a/')).toEqual([odd]);
    const large = Buffer.alloc(4_194_304, 'large');
    await b.put('large', large);
    expect((await b.get('large')).equals(large)).toBe(true);
    await b.remove([odd, 'large', 'not there']);
    await expect(b.get(odd)).rejects.toMatchObject({ fault: 'missing' });
  });
  it('are the same to curl, which signs by itself: what one puts the other reads, and both are listed', async () => {
    const b = bucket();
    writeFileSync(join(dir, 'up'), 'from curl');
    expect(await curl('/backups/x/from-curl', '-T', join(dir, 'up'))).toMatchObject({ status: 200 });
    expect((await b.get('x/from-curl')).toString()).toBe('from curl');
    await b.put('x/from-us', Buffer.from('from us'));
    expect(await curl('/backups/x/from-us')).toEqual({ status: 200, body: 'from us' });
    expect(await curl('/backups?list-type=2&prefix=x%2F')).toMatchObject({
      body: expect.stringMatching(/<Key>x\/from-curl<\/Key>.*<Key>x\/from-us<\/Key>/),
    });
    expect(await curl('/backups/x/from-us', '-X', 'DELETE')).toMatchObject({ status: 204 });
    expect(await curl('/backups/x/from-us')).toMatchObject({
      status: 404,
      body: expect.stringContaining('<Code>NoSuchKey</Code>'),
    });
    await b.remove(['x/from-curl']);
  });
  it('are written once where nothing may be there', async () => {
    const b = bucket();
    expect([
      await b.put('once', Buffer.from('1'), undefined, 'there'),
      await b.put('once', Buffer.from('2'), undefined, 'there'),
    ]).toEqual([true, false]);
    expect((await b.get('once')).toString()).toBe('1');
    await b.remove(['once']);
  });
  it('are listed page by page, and deleted by the thousand', async () => {
    const b = bucket();
    const names = Array.from({ length: 2100 }, (_, n) => `many/${String(n).padStart(5, '0')}`);
    for (const n of names) writeFileSync(join(dir, 'store/backups', Buffer.from(n).toString('base64url')), 'x');
    expect(await listed(b, 'many/')).toEqual(names);
    await b.remove(names);
    expect(await listed(b, 'many/')).toEqual([]);
  });
  it('have one prefix in all that is asked', async () => {
    const b = bucket({ prefix: 'here/' });
    await b.put('one', Buffer.from('1'));
    expect([await listed(b, ''), await listed(bucket(), 'here/')]).toEqual([['one'], ['here/one']]);
    await b.remove(['one']);
  });
});

describe('what is refused', () => {
  it.each<[string, Partial<BucketAt>, object]>([
    ['a bucket that is not there', { bucket: 'nobodys' }, { fault: 'answer', detail: 'it has no bucket nobodys' }],
    [
      'an account that it does not know',
      { credential: { user: 'stranger', secret: 'x' } },
      { fault: 'credentials', detail: 'it does not know stranger' },
    ],
    [
      'another secret',
      { credential: { user: 'keeper', secret: 'x' } },
      { fault: 'credentials', detail: 'the secret of keeper is another one there' },
    ],
    ['another region', { region: 'lr' }, { fault: 'answer', detail: 'its bucket backups is in the region bw, not in lr' }],
    ['a certificate of somebody else', { host: '127.0.0.1' }, { fault: 'name' }],
    ['a certificate of an authority that is not declared', { trust: {} }, { fault: 'trust' }],
  ])('%s is told by what it is', async (_, more, says) => {
    await expect(bucket(more).put('a', Buffer.from('1'))).rejects.toMatchObject(says);
  });
  it('a clock that is an hour off is told from a wrong secret', async () => {
    plant('store-clock');
    await expect(bucket().put('a', Buffer.from('1'))).rejects.toMatchObject({
      fault: 'credentials',
      detail: 'its clock is 60 min ahead of the clock of this server: nothing is signed for its time',
    });
  });
  it('a bucket that is full is, and says so once', async () => {
    await expect(bucket().put('large', Buffer.alloc(5_000_001))).rejects.toMatchObject({
      fault: 'full',
      detail: 'its bucket backups has no room left',
    });
    plant('store-full');
    await expect(bucket().put('small', Buffer.alloc(1))).rejects.toMatchObject({ fault: 'full' });
  });
  it('one that asks to come again later, or cuts what is sent, is tried again', async () => {
    plant('store-busy');
    plant('store-cuts');
    const b = bucket();
    for (let n = 0; n < 12; n++) await b.put(`again/${n}`, Buffer.from(String(n)));
    expect((await listed(b, 'again/')).sort()).toHaveLength(12);
    for (let n = 0; n < 12; n++) expect((await b.get(`again/${n}`)).toString()).toBe(String(n));
    expect(faults.struck('store-cuts', 'bw-objects')).toBe(true);
    await b.remove(await listed(b, 'again/'));
  });
  it('to nobody, to what is signed for other content, and to a deletion without a checksum', async () => {
    expect(await curl('/backups?list-type=2', 'unsigned')).toMatchObject({
      status: 403,
      body: expect.stringContaining('<Code>AccessDenied</Code>'),
    });
    writeFileSync(join(dir, 'up'), 'other content');
    const digest = 'a'.repeat(64);
    expect(await curl('/backups/x', '-T', join(dir, 'up'), '-H', `x-amz-content-sha256: ${digest}`)).toMatchObject({
      status: 400,
      body: expect.stringContaining('XAmzContentSHA256Mismatch'),
    });
    expect(await curl('/backups?delete=', '-X', 'POST', '-d', '<Delete><Object><Key>x</Key></Object></Delete>')).toMatchObject({
      status: 400,
      body: expect.stringContaining('Content-MD5'),
    });
  });
  it('spoils what lies there, a bit of it', async () => {
    const b = bucket();
    await b.put('bits', Buffer.from('abc'));
    objects.spoil('backups', 'bits');
    expect((await b.get('bits')).toString()).toBe('acc');
    await b.remove(['bits']);
  });
});
