import { createHash, randomBytes } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { type IncomingMessage, request, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { createRegistry, Store } from './index.ts';

/** The rules of the OCI distribution specification 1.1, by the headings of its text. */
const sha = (b: Buffer | string) => `sha256:${createHash('sha256').update(b).digest('hex')}`;
const manifestType = 'application/vnd.oci.image.manifest.v1+json';
const indexType = 'application/vnd.oci.image.index.v1+json';
const dir = mkdtempSync(join(tmpdir(), 'conformance-'));
let server: Server;
let url = '';
beforeAll(async () => {
  server = createRegistry({ store: await new Store(dir, { limitBytes: 50_000_000 }).open() });
  await new Promise<void>((done) => {
    server.listen(0, '127.0.0.1', done);
  });
  url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(async () => {
  server.closeAllConnections();
  await new Promise((done) => server.close(done));
  rmSync(dir, { recursive: true });
});

type Headers = Record<string, string>;
const ask = async (method: string, path: string, body?: Buffer | string, headers: Headers = {}) => {
  const r = await fetch(url + path, {
    method,
    headers,
    ...(body === undefined ? {} : { body: new Uint8Array(Buffer.from(body)) }),
  });
  return { status: r.status, headers: r.headers, body: Buffer.from(await r.arrayBuffer()) };
};
const open = async (repo: string) => (await ask('POST', `/v2/${repo}/blobs/uploads/`)).headers.get('location') as string;
const codeOf = (a: { body: Buffer }) => (JSON.parse(a.body.toString()) as { errors: { code: string }[] }).errors[0]?.code;
const blob = async (repo: string, bytes: Buffer) => {
  const r = await ask('PUT', `${await open(repo)}?digest=${sha(bytes)}`, bytes, { 'content-type': 'application/octet-stream' });
  expect(r.status).toBe(201);
  return { mediaType: 'application/octet-stream', digest: sha(bytes), size: bytes.length };
};
const put = (repo: string, reference: string, doc: object, type = manifestType) =>
  ask('PUT', `/v2/${repo}/manifests/${reference}`, JSON.stringify(doc), { 'content-type': type });
const config = Buffer.from('{}');
const imageOf = async (repo: string, ...layers: Buffer[]) => {
  const list = [];
  for (const l of layers) list.push(await blob(repo, l));
  return { schemaVersion: 2, mediaType: manifestType, config: await blob(repo, config), layers: list };
};
/** As a client that does not say beforehand how long its body is: chunked (RFC 9112 §7.1). */
const chunked = (method: string, path: string, bytes: Buffer, headers: Headers = {}) =>
  new Promise<{ status: number; headers: IncomingMessage['headers'] }>((done, fail) => {
    const r = request(url + path, { method, headers: { ...headers, 'transfer-encoding': 'chunked' } }, (res) => {
      res.resume();
      done({ status: res.statusCode ?? 0, headers: res.headers });
    });
    r.on('error', fail);
    for (let at = 0; at < bytes.length; at += 65_536) r.write(bytes.subarray(at, at + 65_536));
    r.end();
  });

describe('Endpoints: end-1', () => {
  it('/v2/ says that the specification is kept', async () => expect((await ask('GET', '/v2/')).status).toBe(200));
});

describe('Pull', () => {
  it('Pulling manifests: by tag and by digest, with type, length and digest; HEAD answers without a body', async () => {
    const doc = await imageOf('pull/one', randomBytes(10));
    await put('pull/one', '1.0', doc);
    for (const reference of ['1.0', sha(JSON.stringify(doc))]) {
      const g = await ask('GET', `/v2/pull/one/manifests/${reference}`);
      expect([g.status, g.headers.get('content-type'), g.headers.get('docker-content-digest')]).toEqual([
        200,
        manifestType,
        sha(JSON.stringify(doc)),
      ]);
      expect(g.body.toString()).toBe(JSON.stringify(doc));
      const h = await ask('HEAD', `/v2/pull/one/manifests/${reference}`);
      expect([h.status, h.body.length, h.headers.get('content-length')]).toEqual([200, 0, String(g.body.length)]);
    }
  });
  it.each(['none', sha('none')])('Pulling manifests: %s that is not there is 404', async (reference) => {
    const r = await ask('GET', `/v2/pull/one/manifests/${reference}`);
    expect([r.status, codeOf(r)]).toEqual([404, 'MANIFEST_UNKNOWN']);
  });
  it('Pulling blobs: whole, in ranges (RFC 9110 §14), 404 when another repository holds them', async () => {
    const bytes = randomBytes(100);
    const { digest } = await blob('pull/two', bytes);
    expect((await ask('GET', `/v2/pull/two/blobs/${digest}`)).body.equals(bytes)).toBe(true);
    const part = await ask('GET', `/v2/pull/two/blobs/${digest}`, undefined, { range: 'bytes=10-19' });
    expect([part.status, part.body.equals(bytes.subarray(10, 20))]).toEqual([206, true]);
    expect((await ask('GET', `/v2/pull/two/blobs/${digest}`, undefined, { range: 'bytes=100-' })).status).toBe(416);
    expect((await ask('GET', `/v2/pull/three/blobs/${digest}`)).status).toBe(404);
  });
});

describe('Push', () => {
  it('Pushing a blob monolithically: POST then PUT, and in a single POST', async () => {
    const bytes = randomBytes(30);
    const r = await ask('POST', `/v2/push/mono/blobs/uploads/?digest=${sha(bytes)}`, bytes, {
      'content-type': 'application/octet-stream',
    });
    expect([r.status, r.headers.get('location')]).toEqual([201, `/v2/push/mono/blobs/${sha(bytes)}`]);
    expect((await ask('HEAD', `/v2/push/mono/blobs/${sha(bytes)}`)).headers.get('content-length')).toBe('30');
  });
  it('Pushing a blob in chunks: in order, told where it stands, ended with its digest', async () => {
    const bytes = randomBytes(90);
    const place = await open('push/chunks');
    const first = await ask('PATCH', place, bytes.subarray(0, 40), { 'content-range': '0-39' });
    expect([first.status, first.headers.get('range')]).toEqual([202, '0-39']);
    // Out of order: 416, and the upload stands as it was
    expect((await ask('PATCH', place, bytes.subarray(50, 60), { 'content-range': '50-59' })).status).toBe(416);
    expect((await ask('GET', place)).headers.get('range')).toBe('0-39');
    const last = await ask('PUT', `${place}?digest=${sha(bytes)}`, bytes.subarray(40), { 'content-range': '40-89' });
    expect(last.status).toBe(201);
  });
  it.each([
    ['0-9', 20, 416],
    ['0-29', 20, 416],
    ['19-0', 20, 416],
    ['ten', 20, 400],
    ['-5', 20, 400],
  ])('Pushing a blob in chunks: Content-Range %s over %i bytes is %i', async (says, n, status) => {
    const place = await open('push/ranges');
    expect((await ask('PATCH', place, randomBytes(n), { 'content-range': says })).status).toBe(status);
    expect((await ask('GET', place)).headers.get('praesidor-received')).toBe('0');
    // The same without a length told beforehand: what does not fit is taken out again.
    expect((await chunked('PATCH', place, randomBytes(n), { 'content-range': says })).status).toBe(status);
    expect((await ask('GET', place)).headers.get('praesidor-received')).toBe('0');
  });
  it('Pushing a blob in chunks: an upload belongs to its repository', async () => {
    const place = await open('push/mine');
    const other = place.replace('/push/mine/', '/push/theirs/');
    for (const method of ['PATCH', 'GET', 'DELETE'])
      expect([method, (await ask(method, other, method === 'PATCH' ? 'x' : undefined)).status]).toEqual([method, 404]);
    expect((await ask('PUT', `${other}?digest=${sha('')}`, '')).status).toBe(404);
    expect((await ask('DELETE', place)).status).toBe(204);
    expect((await ask('GET', place)).status).toBe(404);
  });
  it('Mounting a blob: from a repository that holds it; otherwise an upload is begun', async () => {
    const { digest } = await blob('push/from', randomBytes(8));
    expect((await ask('POST', `/v2/push/to/blobs/uploads/?mount=${digest}&from=push/from`)).status).toBe(201);
    expect((await ask('HEAD', `/v2/push/to/blobs/${digest}`)).status).toBe(200);
    expect((await ask('POST', `/v2/push/to/blobs/uploads/?mount=${sha('none')}&from=push/from`)).status).toBe(202);
  });
  it.each([
    'sha256:abc',
    `sha512:${'a'.repeat(128)}`,
    'md5:d41d8cd98f00b204e9800998ecf8427e',
    sha('x').toUpperCase(),
    `${sha('x')}0`,
  ])('Digests: %s ends no upload, and nothing is found under it', async (digest) => {
    const r = await ask('PUT', `${await open('push/digests')}?digest=${encodeURIComponent(digest)}`, 'x');
    expect([r.status, codeOf(r)]).toEqual([400, 'DIGEST_INVALID']);
    expect((await ask('GET', `/v2/push/digests/blobs/${digest}`)).status).toBe(400);
    expect((await ask('POST', `/v2/push/digests/blobs/uploads/?digest=${encodeURIComponent(digest)}`, 'x')).status).toBe(400);
  });
  it('Digests: other bytes than were announced are refused', async () => {
    const r = await ask('PUT', `${await open('push/digests')}?digest=${sha('y')}`, 'x');
    expect([r.status, codeOf(r)]).toEqual([400, 'DIGEST_INVALID']);
  });
  it.each(['x:y', 'sha512:abc', 't'.repeat(129), '.hidden', '-dash', 'a b', 'ü'])('Tags: %.20s is none', async (tag) => {
    const doc = await imageOf('push/tags', randomBytes(3));
    expect((await put('push/tags', encodeURIComponent(tag), doc)).status).toBe(400);
    expect((await ask('GET', `/v2/push/tags/manifests/${encodeURIComponent(tag)}`)).status).toBe(400);
  });
  it.each(['_', 'A', '1.0-rc_2', 't'.repeat(128)])('Tags: %.20s is one', async (tag) => {
    const doc = await imageOf('push/tags', randomBytes(3));
    expect((await put('push/tags', tag, doc)).status).toBe(201);
  });
  it.each(['UPPER', 'a//b', '-a', 'a_', `${'n'.repeat(256)}`, 'a/\u0000'])('Names: %.20j is none', async (name) => {
    const path = `/v2/${name.split('/').map(encodeURIComponent).join('/')}/blobs/uploads/`;
    const r = await ask('POST', path);
    expect([400, 404]).toContain(r.status);
  });
  it('Pushing manifests: what it names must be here, with the sizes that it says', async () => {
    const doc = await imageOf('push/lacks', randomBytes(4));
    const lacks = { ...doc, layers: [{ mediaType: 'x', digest: sha('none'), size: 4 }] };
    const r = await put('push/lacks', '1', lacks);
    expect([r.status, codeOf(r)]).toEqual([404, 'MANIFEST_BLOB_UNKNOWN']);
    for (const size of [3, 5, -4, 4.5, '4', undefined]) {
      const wrong = { ...doc, layers: [{ ...doc.layers[0], size }] };
      expect([size, (await put('push/lacks', '1', wrong)).status]).toEqual([size, 400]);
    }
    expect((await put('push/lacks', '1', doc)).status).toBe(201);
    expect((await put('push/lacks', sha('another'), doc)).status).toBe(400);
  });
  it('Pushing manifests: under a media type of manifests, and the one that it says', async () => {
    const doc = await imageOf('push/types', randomBytes(4));
    for (const type of ['text/html', 'application/json', indexType])
      expect([type, (await put('push/types', '1', doc, type)).status]).toEqual([type, 400]);
    expect((await put('push/types', '1', { schemaVersion: 2, manifests: [] }, manifestType)).status).toBe(400);
    expect((await put('push/types', '1', doc, `${manifestType}; charset=utf-8`)).status).toBe(201);
    expect((await ask('GET', '/v2/push/types/manifests/1')).headers.get('content-type')).toBe(manifestType);
  });
  it('Pushing manifests with subject: OCI-Subject is told, also when the subject is not here yet', async () => {
    const subject = { mediaType: manifestType, digest: sha('not yet'), size: 7 };
    const r = await put('push/subject', 'sig', { ...(await imageOf('push/subject')), subject });
    expect([r.status, r.headers.get('oci-subject')]).toEqual([201, subject.digest]);
    const found = await ask('GET', `/v2/push/subject/referrers/${subject.digest}`);
    expect(found.headers.get('content-type')).toBe(indexType);
    expect(JSON.parse(found.body.toString())).toMatchObject({ manifests: [{ size: expect.any(Number) }] });
  });
  it('limits hold for what does not say its length: 507, and the room is given back', async () => {
    const place = await open('push/full');
    expect((await chunked('PATCH', place, Buffer.alloc(60_000_000))).status).toBe(507);
    expect((await ask('GET', place)).status).toBe(404);
    const again = await open('push/full');
    expect((await chunked('PATCH', again, Buffer.alloc(30_000_000))).status).toBe(202);
    // 30 MB arrive still: with the blobs they count against the 50 MB
    expect((await chunked('PATCH', await open('push/full'), Buffer.alloc(30_000_000))).status).toBe(507);
    expect((await ask('DELETE', again)).status).toBe(204);
    expect((await chunked('PATCH', await open('push/full'), Buffer.alloc(30_000_000))).status).toBe(202);
  });
});

describe('Content discovery', () => {
  it('Listing tags: in order, in pages, with what comes last; 404 for a name that is not there', async () => {
    const doc = await imageOf('list/tags', randomBytes(5));
    for (const tag of ['c', 'a', 'b']) await put('list/tags', tag, doc);
    const tags = async (q: string) =>
      (JSON.parse((await ask('GET', `/v2/list/tags/tags/list${q}`)).body.toString()) as { tags: string[] }).tags;
    expect([await tags(''), await tags('?n=2'), await tags('?n=2&last=b'), await tags('?n=0')]).toEqual([
      ['a', 'b', 'c'],
      ['a', 'b'],
      ['c'],
      [],
    ]);
    expect((await ask('GET', '/v2/list/none/tags/list')).status).toBe(404);
  });
  it('Listing referrers: an index that is empty when there is none, filtered by artifactType', async () => {
    const none = await ask('GET', `/v2/list/tags/referrers/${sha('none')}`);
    expect([none.status, JSON.parse(none.body.toString()).manifests]).toEqual([200, []]);
    expect((await ask('GET', '/v2/list/tags/referrers/latest')).status).toBe(400);
  });
});

describe('Content management', () => {
  it('Deleting tags, manifests and blobs: 202, and 404 from then on', async () => {
    const layer = randomBytes(6);
    const doc = await imageOf('gone/one', layer);
    await put('gone/one', '1', doc);
    await put('gone/one', '2', doc);
    expect((await ask('DELETE', '/v2/gone/one/manifests/1')).status).toBe(202);
    expect([
      (await ask('GET', '/v2/gone/one/manifests/1')).status,
      (await ask('GET', '/v2/gone/one/manifests/2')).status,
    ]).toEqual([404, 200]);
    expect((await ask('DELETE', `/v2/gone/one/manifests/${sha(JSON.stringify(doc))}`)).status).toBe(202);
    expect((await ask('GET', '/v2/gone/one/manifests/2')).status).toBe(404);
    expect((await ask('DELETE', `/v2/gone/one/blobs/${sha(layer)}`)).status).toBe(202);
    expect((await ask('DELETE', `/v2/gone/one/blobs/${sha(layer)}`)).status).toBe(404);
  });
});

describe('Error codes', () => {
  it.each([
    ['GET', '/v2/%zz/tags/list'],
    ['DELETE', '/v2/a/manifests/sha256:.'],
    ['DELETE', '/v2/a/blobs/sha256:..'],
    ['GET', '/v2/a/blobs/%00'],
    ['PUT', '/v2/a/manifests/1'],
    ['PATCH', '/v2/a/blobs/uploads/..'],
    ['PATCH', `/v2/a/blobs/uploads/${'0'.repeat(36)}.${'0'.repeat(16)}`],
    ['POST', '/v2/a/blobs/uploads/?mount=x&from=y&digest=z'],
    ['GET', '//'],
    ['GET', `/v2/${'a'.repeat(300)}/manifests/1`],
    ['TRACE', '/v2/'],
    ['PUT', '/v2/'],
  ])('%s %.60s is refused in the form of the specification, never with 500', async (method, path) => {
    const status = await new Promise<number>((done, fail) => {
      const { port } = new URL(url);
      const r = request({ host: '127.0.0.1', port, method, path }, (res) => {
        res.resume();
        done(res.statusCode ?? 0);
      });
      r.on('error', fail);
      r.end();
    });
    expect(status).toBeLessThan(500);
    if (path !== '/v2/') expect(status).toBeGreaterThanOrEqual(400);
  });
});
