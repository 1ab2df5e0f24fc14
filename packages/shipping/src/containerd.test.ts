import { execFile, type ChildProcess, spawn } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import type { IncomingMessage, Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest';
import { hostsToml } from '@praesidor/core/images';
import { createRegistry, hashPassword, loginOf, Store } from '@praesidor/registry';
import { makeCertificate } from '@praesidor/standins';

/**
 * A container runtime of Debian's as the client: what it pushes and pulls over TLS with Basic credentials, in chunks,
 * broken off and gone on with. It runs for itself in a folder of its own, and needs root for its start.
 */
const able = existsSync('/usr/bin/containerd') && existsSync('/usr/bin/ctr') && process.getuid?.() === 0;
const sha = (b: Buffer | string) => `sha256:${createHash('sha256').update(b).digest('hex')}`;
const dir = mkdtempSync(join(tmpdir(), 'runtime-'));
let daemon: ChildProcess | undefined;
let server: Server | undefined;
let store: Store;
let endpoint = '';
/** Looks at every request first; breaks it off, or slows it. */
let before: (req: IncomingMessage) => void = () => undefined;
const asked: { method: string; path: string; range: string | undefined }[] = [];

const ctr = (...args: string[]) =>
  new Promise<{ code: number; out: string }>((done) => {
    execFile('/usr/bin/ctr', ['-a', join(dir, 'sock'), ...args], { maxBuffer: 1e8 }, (e, out, err) =>
      done({ code: e ? Number(e.code ?? 1) : 0, out: `${out}${err}` }),
    );
  });
const access = (user = 'keeper:right') => ['--hosts-dir', join(dir, 'hosts'), '--user', user];

/** An image as an archive in the OCI layout, of layers that are tar files. */
async function archive(name: string, layers: Buffer[]): Promise<{ file: string; manifest: string; digests: string[] }> {
  const layout = join(dir, name.replaceAll(/[^a-z0-9]/g, '-'));
  mkdirSync(join(layout, 'blobs/sha256'), { recursive: true });
  const put = (bytes: Buffer, mediaType: string) => {
    writeFileSync(join(layout, 'blobs/sha256', sha(bytes).slice(7)), bytes);
    return { mediaType, digest: sha(bytes), size: bytes.length };
  };
  const config = put(
    Buffer.from(
      JSON.stringify({
        architecture: 'amd64',
        os: 'linux',
        rootfs: { type: 'layers', diff_ids: layers.map((l) => sha(l)) },
        config: {},
      }),
    ),
    'application/vnd.oci.image.config.v1+json',
  );
  const list = layers.map((l) => put(l, 'application/vnd.oci.image.layer.v1.tar'));
  const type = 'application/vnd.oci.image.manifest.v1+json';
  const body = Buffer.from(JSON.stringify({ schemaVersion: 2, mediaType: type, config, layers: list }));
  const manifest = {
    ...put(body, type),
    annotations: { 'io.containerd.image.name': name, 'org.opencontainers.image.ref.name': name },
  };
  writeFileSync(join(layout, 'oci-layout'), '{"imageLayoutVersion":"1.0.0"}');
  writeFileSync(join(layout, 'index.json'), JSON.stringify({ schemaVersion: 2, manifests: [manifest] }));
  const file = `${layout}.tar`;
  await new Promise<void>((done, fail) => execFile('tar', ['-cf', file, '-C', layout, '.'], (e) => (e ? fail(e) : done())));
  return { file, manifest: manifest.digest, digests: [config.digest, ...list.map((l) => l.digest)] };
}

beforeAll(async () => {
  if (!able) return;
  writeFileSync(
    join(dir, 'config.toml'),
    `version = 2\nroot = "${dir}/root"\nstate = "${dir}/state"\ndisabled_plugins = ["io.containerd.grpc.v1.cri"]\n[grpc]\n  address = "${dir}/sock"\n`,
  );
  daemon = spawn('/usr/bin/containerd', ['-c', join(dir, 'config.toml')], { stdio: 'ignore' });
  await vi.waitFor(async () => expect((await ctr('version')).code).toBe(0), { timeout: 30_000, interval: 200 });
  const pair = await makeCertificate({ commonName: 'registry', addresses: ['127.0.0.1'] });
  store = await new Store(join(dir, 'store')).open();
  const users = {
    keeper: { password: await hashPassword('right'), writes: true },
    puller: { password: await hashPassword('reads'), writes: false },
  };
  server = createRegistry({
    store,
    tls: pair,
    login: loginOf(users),
    scheme: 'basic',
    before: (req) => {
      asked.push({ method: req.method ?? '', path: req.url ?? '', range: req.headers.range });
      before(req);
      return false;
    },
  });
  await new Promise<void>((done) => {
    server?.listen(0, '127.0.0.1', done);
  });
  endpoint = `127.0.0.1:${(server.address() as AddressInfo).port}`;
  writeFileSync(join(dir, 'ca.crt'), pair.cert);
  mkdirSync(join(dir, 'hosts', endpoint), { recursive: true });
  writeFileSync(
    join(dir, 'hosts', endpoint, 'hosts.toml'),
    `server = "https://${endpoint}"\n[host."https://${endpoint}"]\n  capabilities = ["pull", "resolve", "push"]\n  ca = "${join(dir, 'ca.crt')}"\n`,
  );
}, 60_000);
afterAll(async () => {
  server?.closeAllConnections();
  server?.close();
  if (daemon) {
    const ended = new Promise((done) => daemon?.once('exit', done));
    daemon.kill('SIGTERM');
    await ended;
  }
  rmSync(dir, { recursive: true, force: true });
});

describe.runIf(able)('a container runtime that is not ours', () => {
  let one: Awaited<ReturnType<typeof archive>>;
  const name = () => `${endpoint}/core/api:1.0`;
  it('pushes an image over TLS with Basic credentials, and everything of it is there', async () => {
    one = await archive(name(), [randomBytes(30_000_000), randomBytes(1000)]);
    const imported = await ctr('images', 'import', '--no-unpack', '--digests', one.file);
    expect(imported.code, imported.out).toBe(0);
    const wrong = await ctr('images', 'push', ...access('keeper:nearly'), name());
    expect(wrong.code).not.toBe(0);
    expect((await ctr('images', 'push', ...access('puller:reads'), name())).code).not.toBe(0);
    const pushed = await ctr('images', 'push', ...access(), name());
    expect(pushed.code, pushed.out).toBe(0);
    expect(await store.manifest('core/api', '1.0')).toMatchObject({ digest: one.manifest });
    for (const d of one.digests) expect(await store.blobSize('core/api', d)).toBeGreaterThan(0);
    expect((await ctr('images', 'push', ...access(), name())).code).toBe(0);
  });
  it('pulls what it was pushed, byte by byte, into a place of its own', async () => {
    const pulled = await ctr('-n', 'two', 'content', 'fetch', ...access('puller:reads'), name());
    expect(pulled.code, pulled.out).toBe(0);
    for (const d of [one.manifest, ...one.digests]) {
      const file = join(dir, 'root/io.containerd.content.v1.content/blobs/sha256', d.slice(7));
      expect(sha(readFileSync(file))).toBe(d);
    }
  });
  it('asks the mirror for an image by its own name, with the trust and the header of the boot kit, and says what is not there', async () => {
    const source = 'images.upstream.example';
    const basic = (login: string) => `Basic ${Buffer.from(login).toString('base64')}`;
    const rules = async (authorization: string) => {
      const at = join(dir, 'certs.d', source);
      mkdirSync(at, { recursive: true });
      writeFileSync(join(at, 'hosts.toml'), hostsToml(source, endpoint, { ca: join(dir, 'ca.crt'), authorization }));
      const fetch = (ref: string) =>
        ctr('-n', 'kit', 'content', 'fetch', '--hosts-dir', join(dir, 'certs.d'), `${source}/${ref}`);
      return { good: await fetch('core/api:1.0'), missing: await fetch('core/none:1.0') };
    };
    const { good, missing } = await rules(basic('puller:reads'));
    expect(good.code, good.out).toBe(0);
    // Neither a fault of certificates nor of credentials: it is not there, and the source itself is asked by nobody.
    expect(missing.code).not.toBe(0);
    expect(missing.out).toContain('not found');
    expect(missing.out).not.toMatch(/x509|\b401\b|dial tcp|no such host/);
  });
  it('refused in the middle of a push, it pushes again, and the image is whole', async () => {
    const two = await archive(`${endpoint}/core/dns:2.0`, [randomBytes(20_000_000)]);
    expect((await ctr('images', 'import', '--no-unpack', two.file)).code).toBe(0);
    let broken = 0;
    before = (req) => {
      if (!/uploads/.test(req.url ?? '') || req.method !== 'PUT' || Number(req.headers['content-length'] ?? 1e9) < 1e6 || broken)
        return;
      let seen = 0;
      req.on('data', (c: Buffer) => {
        seen += c.length;
        if (seen < 5_000_000 || broken) return;
        broken = 1;
        req.socket.destroy();
      });
      req.pause();
    };
    const first = await ctr('images', 'push', ...access(), `${endpoint}/core/dns:2.0`);
    before = () => undefined;
    expect(broken).toBe(1);
    expect(first.code).not.toBe(0);
    expect(await store.manifest('core/dns', '2.0')).toBeUndefined();
    const again = await ctr('images', 'push', ...access(), `${endpoint}/core/dns:2.0`);
    expect(again.code, again.out).toBe(0);
    for (const d of two.digests) expect(await store.blobSize('core/dns', d)).toBeGreaterThan(0);
  });
  it('cut off in the middle of a pull, it goes on with a range where it stood', async () => {
    const three = await archive(`${endpoint}/core/etc:3.0`, [randomBytes(40_000_000)]);
    // Pushed from another namespace, so that the one that pulls holds nothing of it.
    expect((await ctr('-n', 'from', 'images', 'import', '--no-unpack', three.file)).code).toBe(0);
    expect((await ctr('-n', 'from', 'images', 'push', ...access(), `${endpoint}/core/etc:3.0`)).code).toBe(0);
    for (const i of ['from']) expect((await ctr('-n', i, 'images', 'rm', '--sync', `${endpoint}/core/etc:3.0`)).code).toBe(0);
    const layer = three.digests.at(-1) as string;
    let cut = 0;
    before = (req) => {
      if (cut || req.method !== 'GET' || !(req.url ?? '').includes(layer)) return;
      cut = 1;
      // The connection goes after some of it was sent.
      const timer = setInterval(() => {
        if (req.socket.bytesWritten < 8_000_000) return;
        clearInterval(timer);
        req.socket.destroy();
      }, 1);
      req.socket.once('close', () => clearInterval(timer));
    };
    asked.length = 0;
    let r = await ctr('-n', 'into', 'content', 'fetch', ...access(), `${endpoint}/core/etc:3.0`);
    before = () => undefined;
    expect(cut).toBe(1);
    if (r.code) r = await ctr('-n', 'into', 'content', 'fetch', ...access(), `${endpoint}/core/etc:3.0`);
    expect(r.code, r.out).toBe(0);
    const ranges = asked
      .filter((a) => a.method === 'GET' && a.path.includes(layer))
      .map((a) => Number(/=(\d+)-/.exec(a.range ?? '')?.[1] ?? 0));
    expect(Math.max(...ranges)).toBeGreaterThan(0);
    const file = join(dir, 'root/io.containerd.content.v1.content/blobs/sha256', layer.slice(7));
    expect(sha(readFileSync(file))).toBe(layer);
  });
});
