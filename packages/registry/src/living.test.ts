import { spawn, type ChildProcess } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { once } from 'node:events';
import { existsSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import type { Server } from 'node:http';
import { type AddressInfo, connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { readRegistryConfig } from './config.ts';
import { createRegistry, hashPassword, loginOf, type RegistryOptions, Store } from './index.ts';

const sha = (b: Buffer | string) => `sha256:${createHash('sha256').update(b).digest('hex')}`;
const basic = (text: string) => `Basic ${Buffer.from(text).toString('base64')}`;
const imageType = 'application/vnd.oci.image.manifest.v1+json';
let dir: string;
let server: Server | undefined;
let url = '';
let store: Store;

async function serve(options: Partial<RegistryOptions> = {}) {
  store = await new Store(dir).open();
  const s = createRegistry({ store, ...options });
  server = s;
  await new Promise<void>((done) => {
    s.listen(0, '127.0.0.1', done);
  });
  url = `http://127.0.0.1:${(s.address() as AddressInfo).port}`;
}
beforeEach(() => {
  dir = mkdtempSync(join(tmpdir(), 'registry-'));
});
afterEach(async () => {
  server?.closeAllConnections();
  if (server) await new Promise((done) => server?.close(done));
  server = undefined;
  rmSync(dir, { recursive: true, force: true });
});

async function push(repo: string, bytes: Buffer) {
  const opened = await fetch(`${url}/v2/${repo}/blobs/uploads/`, { method: 'POST' });
  const r = await fetch(`${url}${opened.headers.get('location')}?digest=${sha(bytes)}`, {
    method: 'PUT',
    body: new Uint8Array(bytes),
  });
  expect(r.status).toBe(201);
  return { digest: sha(bytes), size: bytes.length };
}
async function put(repo: string, reference: string, doc: object, type = imageType) {
  const body = JSON.stringify(doc);
  const r = await fetch(`${url}/v2/${repo}/manifests/${reference || sha(body)}`, {
    method: 'PUT',
    headers: { 'content-type': type },
    body,
  });
  return { status: r.status, digest: sha(body), subject: r.headers.get('oci-subject'), text: await r.text() };
}
async function image(repo: string, tag: string, ...layers: Buffer[]) {
  const config = await push(repo, Buffer.from(`{"of":"${repo}:${tag}"}`));
  const list = [];
  for (const l of layers) list.push(await push(repo, l));
  return put(repo, tag, { schemaVersion: 2, config, layers: list });
}
const ask = async <T>(path: string, method = 'GET') => (await (await fetch(url + path, { method })).json()) as T;

describe('names and what hangs on them', () => {
  it('are listed in pages, each with a link to the next', async () => {
    await serve();
    for (const tag of ['1.0', '1.1', '1.2']) await image('core/api', tag, randomBytes(5));
    const first = await fetch(`${url}/v2/core/api/tags/list?n=2`);
    expect(await first.json()).toEqual({ name: 'core/api', tags: ['1.0', '1.1'] });
    const link = /<([^>]+)>; rel="next"/.exec(first.headers.get('link') ?? '')?.[1] as string;
    const next = await fetch(url + link);
    expect(await next.json()).toEqual({ name: 'core/api', tags: ['1.2'] });
    expect(next.headers.get('link')).toBeNull();
  });
  it('artifacts are found by what they are about, and by their kind', async () => {
    await serve();
    const about = await image('core/api', '1.0', randomBytes(5));
    const empty = await push('core/api', Buffer.from('{}'));
    const made = await put('core/api', '', {
      schemaVersion: 2,
      artifactType: 'application/vnd.example.list',
      config: { mediaType: 'application/vnd.oci.empty.v1+json', ...empty },
      layers: [],
      subject: { mediaType: imageType, digest: about.digest, size: 1 },
    });
    expect(made).toMatchObject({ status: 201, subject: about.digest });
    const found = await ask<{ manifests: { digest: string; artifactType: string }[] }>(`/v2/core/api/referrers/${about.digest}`);
    expect(found.manifests).toMatchObject([{ digest: made.digest, artifactType: 'application/vnd.example.list' }]);
    const other = await fetch(`${url}/v2/core/api/referrers/${about.digest}?artifactType=application/other`);
    expect(other.headers.get('oci-filters-applied')).toBe('artifactType');
    expect(((await other.json()) as { manifests: unknown[] }).manifests).toEqual([]);
    expect(await ask(`/v2/core/api/referrers/${sha('nobody')}`)).toMatchObject({ manifests: [] });
  });
  it('an index is taken with some of its manifests, and not with none', async () => {
    await serve();
    const one = await image('core/api', 'amd64', randomBytes(5));
    const size = Number((await fetch(`${url}/v2/core/api/manifests/amd64`)).headers.get('content-length'));
    const index = (...digests: string[]) => ({
      schemaVersion: 2,
      manifests: digests.map((digest) => ({ mediaType: imageType, digest, size })),
    });
    const type = 'application/vnd.oci.image.index.v1+json';
    expect(await put('core/api', '1', index(sha('not here')), type)).toMatchObject({ status: 404 });
    expect(await put('core/api', '1', index(one.digest, sha('not here')), type)).toMatchObject({ status: 201 });
  });
});

describe('tidying up', () => {
  it('takes what nothing refers to, says the same beforehand, and never what is young', async () => {
    await serve();
    const shared = randomBytes(1000);
    const old = randomBytes(2000);
    const gone = await image('core/api', '1.0', shared, old);
    await image('core/api', '1.1', shared);
    await push('core/dns', randomBytes(77)); // its manifest never came
    expect((await fetch(`${url}/v2/core/api/manifests/1.0`, { method: 'DELETE' })).status).toBe(202);
    expect(await ask('/praesidor/collect?untagged=1', 'POST')).toEqual({ manifests: 0, blobs: 0, bytes: 0, uploads: 0 });
    // 1.0's manifest, its configuration and 2,000 bytes of its own, and the 77 bytes that nobody named
    const would = await ask<{ blobs: number; bytes: number }>('/praesidor/collect?untagged=1&grace=0&dry=1', 'POST');
    expect((await fetch(`${url}/v2/core/api/manifests/${gone.digest}`)).status).toBe(200);
    const used = async () => (await ask<{ used: number }>('/praesidor/digests')).used;
    const before = await used();
    const took = await ask<{ blobs: number; bytes: number }>('/praesidor/collect?untagged=1&grace=0', 'POST');
    expect(took).toMatchObject({ manifests: 1 });
    expect(took.bytes).toBeGreaterThan(2077);
    // Before, the manifest stood under its digest yet: what it names was counted on the way.
    expect(would).toEqual(took);
    expect(before - (await used())).toBe(took.bytes);
    expect((await fetch(`${url}/v2/core/api/blobs/${sha(old)}`)).status).toBe(404);
    expect(Buffer.from(await (await fetch(`${url}/v2/core/api/blobs/${sha(shared)}`)).arrayBuffer()).equals(shared)).toBe(true);
    expect(readdirSync(join(dir, 'blobs/sha256'))).not.toContain(sha(old).slice(7));
  });
  it('a manifest goes with all its names, and what is not there cannot go', async () => {
    await serve();
    const m = await image('core/api', '1.0', randomBytes(5));
    await put('core/api', 'latest', JSON.parse(await (await fetch(`${url}/v2/core/api/manifests/1.0`)).text()) as object);
    expect((await fetch(`${url}/v2/core/api/manifests/${m.digest}`, { method: 'DELETE' })).status).toBe(202);
    expect((await fetch(`${url}/v2/core/api/manifests/latest`)).status).toBe(404);
    expect((await fetch(`${url}/v2/core/api/manifests/1.0`, { method: 'DELETE' })).status).toBe(404);
  });
  it('a scrub puts aside what does not verify, and names what is gone', async () => {
    await serve();
    const [good, bad, lost] = [randomBytes(500), randomBytes(500), randomBytes(500)];
    await image('core/api', '1.0', good, bad, lost);
    writeFileSync(store.blobPath(sha(bad)), randomBytes(500));
    rmSync(store.blobPath(sha(lost)));
    await ask('/praesidor/scrub', 'POST');
    const s = await vi.waitFor(async () => {
      const state = await ask<{ running: boolean; done: number; of: number; damaged: object[]; missing: object[] }>(
        '/praesidor/scrub',
      );
      expect(state.running).toBe(false);
      return state;
    });
    expect(s.done).toBe(s.of);
    expect(s.damaged).toEqual([{ digest: sha(bad), why: 'its bytes have another digest' }]);
    expect(s.missing).toEqual(
      expect.arrayContaining([
        { digest: sha(bad), repository: 'core/api' },
        { digest: sha(lost), repository: 'core/api' },
      ]),
    );
    expect((await fetch(`${url}/v2/core/api/blobs/${sha(bad)}`)).status).toBe(404);
    await push('core/api', bad); // shipped again, it is served again
    expect((await fetch(`${url}/v2/core/api/blobs/${sha(bad)}`)).status).toBe(200);
  });
});

describe('tokens', () => {
  it('are asked for by challenge, hold what was asked and allowed, and end', async () => {
    let now = Date.parse('2026-11-23T09:00:00Z');
    await serve({
      scheme: 'bearer',
      tokenSeconds: 60,
      now: () => new Date(now),
      login: loginOf({
        keeper: { password: await hashPassword('k'), writes: true },
        puller: { password: await hashPassword('p'), writes: false },
      }),
    });
    const refused = await fetch(`${url}/v2/core/api/tags/list`);
    expect(refused.headers.get('www-authenticate')).toBe(
      `Bearer realm="${url}/token",service="${url.slice(7)}",scope="repository:core/api:pull"`,
    );
    const token = async (user: string, scope: string) => {
      const r = await fetch(`${url}/token?service=x&scope=${scope}`, { headers: { authorization: basic(user) } });
      return r.ok ? ((await r.json()) as { token: string; expires_in: number }).token : String(r.status);
    };
    expect(await token('puller:wrong', 'repository:core/api:pull')).toBe('401');
    expect(await token('nobody:p', 'repository:core/api:pull')).toBe('401');
    const as = (t: string, path: string, method = 'GET') =>
      fetch(url + path, { method, headers: { authorization: `Bearer ${t}` } }).then((r) => r.status);
    const reading = await token('puller:p', 'repository:core/api:pull,push');
    expect([
      await as(reading, '/v2/core/api/tags/list'),
      await as(reading, '/v2/core/dns/tags/list'),
      await as(reading, '/v2/core/api/blobs/uploads/', 'POST'),
    ]).toEqual([404, 401, 403]);
    const writing = await token('keeper:k', 'repository:core/api:pull,push');
    expect(await as(writing, '/v2/core/api/blobs/uploads/', 'POST')).toBe(202);
    expect(await as(`${writing.slice(0, -2)}xx`, '/v2/core/api/blobs/uploads/', 'POST')).toBe(401);
    now += 61_000;
    const late = await fetch(`${url}/v2/core/api/blobs/uploads/`, {
      method: 'POST',
      headers: { authorization: `Bearer ${writing}` },
    });
    expect([late.status, late.headers.get('www-authenticate')]).toEqual([401, expect.stringContaining('error="invalid_token"')]);
    expect(await late.text()).toContain('has ended');
  });
});

describe('how it fares', () => {
  it('is told to whoever asks, without credentials, and to Prometheus with them', async () => {
    await serve({ users: { keeper: 'k' }, readOnly: true });
    expect(await ask('/praesidor/health')).toMatchObject({ well: true, readOnly: true });
    expect((await fetch(`${url}/metrics`)).status).toBe(401);
    const text = await (await fetch(`${url}/metrics`, { headers: { authorization: basic('keeper:k') } })).text();
    expect(text).toMatch(/^registry_requests_total\{method="GET",status="4xx"\} 1$/m);
    expect(text).toMatch(/^registry_used_bytes 0$/m);
    const w = await fetch(`${url}/v2/a/blobs/uploads/`, { method: 'POST', headers: { authorization: basic('keeper:k') } });
    expect([w.status, await w.text()]).toEqual([403, expect.stringContaining('read-only')]);
  });
});

describe('as a program', () => {
  const program = fileURLToPath(new URL('./main.ts', import.meta.url));
  const running: ChildProcess[] = [];
  afterEach(() => {
    for (const p of running.splice(0)) p.kill('SIGKILL');
  });
  async function run(config: object) {
    writeFileSync(join(dir, 'registry.json'), JSON.stringify(config));
    const p = spawn(process.execPath, ['--import', 'tsx', program, 'serve', join(dir, 'registry.json')], {
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    running.push(p);
    let said = '';
    p.stdout.on('data', (d: Buffer) => (said += d.toString()));
    p.stderr.on('data', (d: Buffer) => (said += d.toString()));
    await vi.waitFor(() => expect(said).toMatch(/answers at/), { timeout: 15_000, interval: 20 });
    url = `http://127.0.0.1:${/port (\d+)/.exec(said)?.[1]}`;
    return p;
  }

  it('killed in the middle of an upload, it loses nothing that it acknowledged, and the upload goes on', async () => {
    const config = {
      dir: 'content',
      address: '127.0.0.1',
      port: 0,
      scheme: 'basic',
      keepFree: 0,
      users: { keeper: { password: await hashPassword('k'), writes: true } },
    };
    const first = await run(config);
    const headers = { authorization: basic('keeper:k') };
    const acknowledged: Buffer[] = [];
    for (let n = 0; n < 5; n++) {
      const bytes = randomBytes(20_000);
      const at = (await fetch(`${url}/v2/core/api/blobs/uploads/`, { method: 'POST', headers })).headers.get('location');
      const r = await fetch(`${url}${at}?digest=${sha(bytes)}`, { method: 'PUT', headers, body: new Uint8Array(bytes) });
      if (r.status === 201) acknowledged.push(bytes);
    }
    expect(acknowledged).toHaveLength(5);
    const whole = randomBytes(3_000_000);
    const location = (await fetch(`${url}/v2/core/api/blobs/uploads/`, { method: 'POST', headers })).headers.get(
      'location',
    ) as string;
    const socket = connect(Number(new URL(url).port), '127.0.0.1');
    socket.on('error', () => undefined);
    socket.write(
      `PATCH ${location} HTTP/1.1\r\nhost: x\r\nauthorization: ${headers.authorization}\r\ncontent-length: ${whole.length}\r\n\r\n`,
    );
    socket.write(whole.subarray(0, 2_500_000));
    const id = location.split('/').at(-1) as string;
    const there = await new Store(join(dir, 'content')).open();
    await vi.waitFor(async () => expect(await there.uploadSize(id)).toBeGreaterThan(1_000_000), { timeout: 15_000 });
    first.kill('SIGKILL');
    await once(first, 'exit');
    socket.destroy();

    await run(config);
    for (const bytes of acknowledged) {
      const r = await fetch(`${url}/v2/core/api/blobs/${sha(bytes)}`, { headers });
      expect(sha(Buffer.from(await r.arrayBuffer()))).toBe(sha(bytes));
    }
    const state = await fetch(`${url}${location}`, { headers });
    const got = Number(state.headers.get('praesidor-received'));
    expect(got).toBeGreaterThan(1_000_000);
    expect(state.headers.get('range')).toBe(`0-${got - 1}`);
    const rest = await fetch(`${url}${location}?digest=${sha(whole)}`, {
      method: 'PUT',
      headers: { ...headers, 'content-range': `${got}-${whole.length - 1}` },
      body: new Uint8Array(whole.subarray(got)),
    });
    expect(rest.status).toBe(201);
    expect(existsSync(join(dir, 'content/blobs/sha256', sha(whole).slice(7)))).toBe(true);
  }, 60_000);

  it('stops when it is told to, and reads its configuration before anything else', async () => {
    const p = await run({
      dir: 'content',
      address: '127.0.0.1',
      port: 0,
      users: { keeper: { password: await hashPassword('k'), writes: true } },
    });
    p.kill('SIGTERM');
    expect((await once(p, 'exit'))[0]).toBe(0);
    const refused = (config: object) => {
      writeFileSync(join(dir, 'bad.json'), JSON.stringify(config));
      try {
        readRegistryConfig(join(dir, 'bad.json'));
        return '';
      } catch (e) {
        return (e as Error).message.replace(dir, '');
      }
    };
    expect(refused({ dir: 'x' })).toContain('users must name at least one');
    expect(refused({ dir: 'x', users: { a: { password: 'plain' } } })).toContain(
      'users.a.password must be what hash-password prints',
    );
    expect(refused({ dir: 'x', userz: {} })).toContain('userz is not known; there are dir, address');
    expect(refused({ dir: 'x', port: -1, users: {} })).toContain('users must');
  }, 60_000);
});
