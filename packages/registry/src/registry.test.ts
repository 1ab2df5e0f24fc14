import { createHash, randomBytes } from 'node:crypto';
import { mkdtempSync, readdirSync, rmSync } from 'node:fs';
import type { Server } from 'node:http';
import { type AddressInfo, connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { createRegistry, type RegistryOptions, Store } from './index.ts';

const sha = (b: Buffer) => `sha256:${createHash('sha256').update(b).digest('hex')}`;
let dir: string;
let server: Server;
let url: string;
let store: Store;

async function serve(options: Partial<RegistryOptions> = {}, limit?: number) {
  store = await new Store(dir, limit).open();
  server = createRegistry({ store, ...options });
  await new Promise<void>((done) => {
    server.listen(0, '127.0.0.1', done);
  });
  url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
}
beforeEach(async () => {
  dir = mkdtempSync(join(tmpdir(), 'registry-'));
  await serve();
});
afterEach(async () => {
  server.closeAllConnections();
  await new Promise((done) => server.close(done));
  rmSync(dir, { recursive: true });
});

async function push(repo: string, bytes: Buffer, digest = sha(bytes)) {
  const opened = await fetch(`${url}/v2/${repo}/blobs/uploads/`, { method: 'POST' });
  return fetch(`${url}${opened.headers.get('location')}?digest=${digest}`, { method: 'PUT', body: new Uint8Array(bytes) });
}
const manifestOf = (config: Buffer, layers: Buffer[]) =>
  Buffer.from(
    JSON.stringify({
      schemaVersion: 2,
      config: { digest: sha(config), size: config.length },
      layers: layers.map((l) => ({ digest: sha(l), size: l.length })),
    }),
  );

describe('blobs', () => {
  it('are given back byte by byte, whole and in ranges', async () => {
    const bytes = randomBytes(5000);
    expect((await push('core/api', bytes)).status).toBe(201);
    const whole = await fetch(`${url}/v2/core/api/blobs/${sha(bytes)}`);
    expect(Buffer.from(await whole.arrayBuffer()).equals(bytes)).toBe(true);
    const rest = await fetch(`${url}/v2/core/api/blobs/${sha(bytes)}`, { headers: { range: 'bytes=4990-' } });
    expect([rest.status, rest.headers.get('content-range')]).toEqual([206, 'bytes 4990-4999/5000']);
    expect(Buffer.from(await rest.arrayBuffer()).equals(bytes.subarray(4990))).toBe(true);
    expect((await fetch(`${url}/v2/core/api/blobs/${sha(bytes)}`, { headers: { range: 'bytes=5000-' } })).status).toBe(416);
  });
  it('with another digest are refused and leave nothing behind', async () => {
    const wrong = sha(Buffer.from('other'));
    const r = await push('core/api', Buffer.from('bytes'), wrong);
    expect(r.status).toBe(400);
    expect(((await r.json()) as { errors: { code: string }[] }).errors[0]?.code).toBe('DIGEST_INVALID');
    expect((await fetch(`${url}/v2/core/api/blobs/${wrong}`)).status).toBe(404);
    expect(readdirSync(join(dir, 'uploads'))).toEqual([]);
  });
  it('continue where a broken upload stood', async () => {
    const bytes = randomBytes(3000);
    const location = (await fetch(`${url}/v2/a/b/blobs/uploads/`, { method: 'POST' })).headers.get('location') as string;
    await fetch(`${url}${location}`, { method: 'PATCH', body: new Uint8Array(bytes.subarray(0, 1000)) });
    expect((await fetch(`${url}${location}`)).headers.get('range')).toBe('0-999');
    expect(
      (await fetch(`${url}${location}`, { method: 'PATCH', headers: { 'content-range': '500-999' }, body: 'x' })).status,
    ).toBe(416);
    expect(
      (
        await fetch(`${url}${location}?digest=${sha(bytes)}`, {
          method: 'PUT',
          headers: { 'content-range': '1000-2999' },
          body: new Uint8Array(bytes.subarray(1000)),
        })
      ).status,
    ).toBe(201);
  });
  it('are linked into another repository without being sent', async () => {
    const bytes = randomBytes(10);
    await push('one', bytes);
    expect((await fetch(`${url}/v2/two/blobs/uploads/?mount=${sha(bytes)}&from=one`, { method: 'POST' })).status).toBe(201);
    expect((await fetch(`${url}/v2/two/blobs/${sha(bytes)}`, { method: 'HEAD' })).status).toBe(200);
    expect((await fetch(`${url}/v2/three/blobs/${sha(bytes)}`, { method: 'HEAD' })).status).toBe(404);
    expect(
      (await fetch(`${url}/v2/three/blobs/uploads/?mount=${sha(Buffer.from('none'))}&from=one`, { method: 'POST' })).status,
    ).toBe(202);
  });
});

describe('manifests', () => {
  it('are only taken whole, and moved by tag', async () => {
    const config = Buffer.from('{}');
    const layer = randomBytes(20);
    const m = manifestOf(config, [layer]);
    const put = () =>
      fetch(`${url}/v2/core/api/manifests/1.0`, {
        method: 'PUT',
        headers: { 'content-type': 'application/vnd.oci.image.manifest.v1+json' },
        body: new Uint8Array(m),
      });
    expect((await put()).status).toBe(404); // its blobs are not there
    await push('core/api', config);
    await push('core/api', layer);
    expect((await put()).headers.get('docker-content-digest')).toBe(sha(m));
    expect((await fetch(`${url}/v2/core/api/manifests/${sha(m)}`)).headers.get('content-type')).toContain('manifest.v1');
    expect(await (await fetch(`${url}/v2/core/api/tags/list`)).json()).toEqual({ name: 'core/api', tags: ['1.0'] });
  });
  it.each([
    ['not JSON', 'x'],
    ['neither index nor manifest', '{"a":1}'],
    ['a descriptor without digest', '{"config":{"digest":"no"},"layers":[]}'],
  ])('%s is refused', async (_, body) => {
    expect((await fetch(`${url}/v2/a/manifests/1`, { method: 'PUT', body })).status).toBe(400);
  });
});

describe('who may what', () => {
  it('asks for credentials, and lets readers only read', async () => {
    server.close();
    await serve({ users: { keeper: 'k', puller: 'p' }, writers: ['keeper'] });
    const as = (user: string, method = 'GET', path = '/v2/') =>
      fetch(`${url}${path}`, { method, headers: { authorization: `Basic ${Buffer.from(user).toString('base64')}` } }).then(
        (r) => r.status,
      );
    expect((await fetch(`${url}/v2/`)).headers.get('www-authenticate')).toContain('Basic');
    expect([await as('keeper:k'), await as('puller:p'), await as('puller:wrong'), await as('__proto__:x')]).toEqual([
      200, 200, 401, 401,
    ]);
    expect([await as('puller:p', 'POST', '/v2/a/blobs/uploads/'), await as('keeper:k', 'POST', '/v2/a/blobs/uploads/')]).toEqual([
      403, 202,
    ]);
  });
  it('writes down who pulled what', async () => {
    const bytes = randomBytes(5);
    await push('core/api', bytes);
    await (await fetch(`${url}/v2/core/api/blobs/${sha(bytes)}`, { headers: { 'user-agent': 'node/lr-02' } })).arrayBuffer();
    expect((await store.pulls()).at(-1)).toMatchObject({
      agent: 'node/lr-02',
      kind: 'blob',
      repository: 'core/api',
      digest: sha(bytes),
      status: 200,
    });
  });
});

describe('bad times', () => {
  it('says when the disk is full, and keeps what it has', async () => {
    server.close();
    await serve({}, 1000);
    expect((await push('a', randomBytes(900))).status).toBe(201);
    const r = await push('a', randomBytes(900));
    expect(r.status).toBe(507);
    expect(await r.text()).toContain('full');
    // In one request, and of a manifest, in the same words.
    const bytes = randomBytes(900);
    const one = await fetch(`${url}/v2/a/blobs/uploads/?digest=${sha(bytes)}`, { method: 'POST', body: bytes });
    expect([one.status, await one.text()]).toEqual([507, expect.stringContaining('full')]);
    const type = 'application/vnd.oci.image.index.v1+json';
    const body = JSON.stringify({ schemaVersion: 2, mediaType: type, manifests: [], annotations: { why: 'x'.repeat(900) } });
    const manifest = await fetch(`${url}/v2/a/manifests/1`, { method: 'PUT', body, headers: { 'content-type': type } });
    expect([manifest.status, await manifest.text()]).toEqual([507, expect.stringContaining('full')]);
  });
  it.each([
    '/v2/../../etc/passwd',
    '/v2/a/blobs/sha256:..%2f..%2fetc',
    '/v2/a%2f..%2fb/manifests/1',
    '/v2/A/tags/list',
    `/v2/${'a/'.repeat(3000)}tags/list`,
  ])('finds nothing at %s', async (path) => {
    expect((await fetch(url + path)).status).toBeGreaterThanOrEqual(400);
  });
  it('keeps what arrived when the connection breaks in the middle', async () => {
    const location = (await fetch(`${url}/v2/a/blobs/uploads/`, { method: 'POST' })).headers.get('location') as string;
    const s = connect(Number(new URL(url).port), '127.0.0.1');
    s.write(`PATCH ${location} HTTP/1.1\r\nhost: x\r\ncontent-length: 100\r\n\r\n${'y'.repeat(40)}`);
    await vi.waitFor(async () => expect(await store.uploadSize(location.split('/').at(-1) as string)).toBe(40));
    s.destroy();
    expect((await fetch(`${url}${location}`)).headers.get('range')).toBe('0-39');
  });
});
