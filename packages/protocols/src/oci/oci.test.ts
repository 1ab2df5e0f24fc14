import { manifestFor } from '@praesidor/core/images';
import { createHash, randomBytes } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import type { IncomingMessage, Server, ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { createRegistry, Store } from '@praesidor/registry';
import { makeCertificate, publish } from '@praesidor/standins';
import { anywhere, Dialer, Exits, parseAddressMap, type ProtocolError } from '../dial/index.ts';
import {
  held,
  getManifest,
  hasBlob,
  mountBlob,
  paperSize,
  ping,
  pullLog,
  pushBlob,
  putManifest,
  type RegistryAt,
  readBlob,
  walkBill,
} from './index.ts';

/** The product's own registry, with whatever a test puts in front of it. */
const dir = mkdtempSync(join(tmpdir(), 'oci-'));
let server: Server;
let at: RegistryAt;
let dialer: Dialer;
let ca: string;
let before: (req: IncomingMessage, res: ServerResponse) => boolean = () => false;
const image = (name: string, ...keys: string[]) => ({
  image: `images.upstream.example/core/${name}:1`,
  layers: keys.map((key) => ({ key, declaredBytes: 2_000_000 })),
});

beforeAll(async () => {
  const store = await new Store(dir).open();
  await publish(store, [image('api', 'base', 'api'), image('agent', 'base', 'agent')]);
  const pair = await makeCertificate({ commonName: 'registry.lr.example', names: ['registry.lr.example'] });
  ca = pair.cert;
  server = createRegistry({ store, tls: pair, users: { keeper: 'k' }, before: (q, r) => before(q, r) });
  await new Promise<void>((done) => {
    server.listen(0, '127.0.0.1', done);
  });
  dialer = new Dialer(
    new Exits(parseAddressMap(`10.0.0.9/32=127.0.0.1/32+${(server.address() as AddressInfo).port - 5000}`), anywhere),
    async () => '10.0.0.9',
  );
  at = { dialer, endpoint: 'registry.lr.example:5000', trust: { ca }, user: 'keeper', password: 'k' };
});
afterAll(async () => {
  await dialer.close();
  server.closeAllConnections();
  server.close();
  rmSync(dir, { recursive: true });
});

const faultOf = (act: Promise<unknown>) =>
  act.then(
    () => 'taken',
    (e: ProtocolError) => `${e.fault}: ${e.detail}`,
  );
const sha = (b: Buffer) => `sha256:${createHash('sha256').update(b).digest('hex')}`;

describe('a registry', () => {
  it('is logged in to, or says why not', async () => {
    await ping(at);
    expect(await faultOf(ping({ ...at, password: 'wrong' }))).toContain('credentials');
    expect(await faultOf(ping({ ...at, endpoint: 'depot.lr.example:5000' }))).toContain(
      'its certificate is for registry.lr.example, not for depot.lr.example',
    );
    const { trust: _, ...bare } = at;
    expect(await faultOf(ping(bare))).toContain('no certificate authority is declared');
  });
  it('takes a blob, links it, and gives it back from any byte', async () => {
    const bytes = randomBytes(3000);
    const digest = sha(bytes);
    expect(await hasBlob(at, 'a/b', digest)).toBe(false);
    await pushBlob(at, 'a/b', digest, bytes.length, () => Readable.from([bytes.subarray(0, 1000), bytes.subarray(1000)]));
    expect(await mountBlob(at, 'c/d', digest, 'a/b')).toBe(true);
    const chunks: Buffer[] = [];
    for await (const c of await readBlob(at, 'c/d', digest, 2990)) chunks.push(c as Buffer);
    expect(Buffer.concat(chunks).equals(bytes.subarray(2990))).toBe(true);
    const seen = await held(at);
    expect(seen.digests).toContain(digest);
  });
  it('takes no manifest whose blobs it lacks, and says which', async () => {
    const m = Buffer.from(JSON.stringify({ schemaVersion: 2, config: { digest: sha(Buffer.from('x')), size: 1 }, layers: [] }));
    expect(await faultOf(putManifest(at, 'a/b', '1', 'application/vnd.oci.image.manifest.v1+json', m))).toContain(
      'lacks sha256:',
    );
  });
  it('counts who pulled', async () => {
    const since = new Date().toISOString();
    await getManifest(at, 'core/api', '1');
    expect(await pullLog(at, since)).toMatchObject([
      { kind: 'manifest', repository: 'core/api', reference: '1', status: 200, user: 'keeper' },
    ]);
  });
});

describe('a bill', () => {
  const parts = ['api', 'agent'].map((name) => ({ name, image: `images.upstream.example/core/${name}:1`, on: 'node' }));
  it('holds every image by digest and a shared layer once', async () => {
    const bill = await walkBill(at, '1', parts, ['x86-64'], '2026-11-23T00:00:00Z');
    expect(bill.images.map((i) => [i.component, i.manifests.length, i.blobs.length])).toEqual([
      ['api', 2, 3],
      ['agent', 2, 3],
    ]);
    expect(Object.keys(bill.blobs)).toHaveLength(5); // two configs, one base, two of their own
    expect(
      Object.values(bill.blobs)
        .filter((b) => b.declaredBytes === 2_000_000)
        .every((b) => b.bytes === 2048),
    ).toBe(true); // one file of a block, and 3 blocks around it: 4 × 512; the size on paper is as declared
  });
  it.each([
    ['-5680000', 9],
    ['much', 9],
    ['1e400', 9],
    ['', 9],
    ['18000', 18_000],
  ])('takes a declared size of %j for one only if it is one', async (said, declaredBytes) => {
    const layer = { digest: sha(Buffer.from('layer')), size: 9, annotations: { [paperSize]: said } };
    const text = JSON.stringify({ schemaVersion: 2, layers: [layer] });
    before = (q, res) => {
      if (!q.url?.includes('/manifests/')) return false;
      res.writeHead(200, { 'content-type': 'application/vnd.oci.image.manifest.v1+json' }).end(text);
      return true;
    };
    const bill = await walkBill(at, '1', parts.slice(0, 1), ['x86-64'], '').finally(() => {
      before = () => false;
    });
    expect(bill.blobs[layer.digest]).toEqual({ bytes: 9, declaredBytes });
  });
  it('has a manifest for each architecture, in whatever order the publication names them', async () => {
    const child = (name: string) => JSON.stringify({ schemaVersion: 2, layers: [{ digest: sha(Buffer.from(name)), size: 9 }] });
    const amd = child('for amd64');
    const arm = child('for arm64');
    const index = JSON.stringify({
      schemaVersion: 2,
      manifests: [
        { digest: sha(Buffer.from(arm)), size: arm.length, platform: { os: 'linux', architecture: 'arm64' } },
        { digest: sha(Buffer.from(amd)), size: amd.length, platform: { os: 'linux', architecture: 'amd64' } },
      ],
    });
    before = (q, res) => {
      if (!q.url?.includes('/manifests/')) return false;
      const one = [amd, arm].find((text) => q.url?.endsWith(sha(Buffer.from(text))));
      const type = `application/vnd.oci.image.${one ? 'manifest' : 'index'}.v1+json`;
      res.writeHead(200, { 'content-type': type }).end(one ?? index);
      return true;
    };
    const bill = await walkBill(at, '1', parts.slice(0, 1), ['x86-64', 'arm64'], '').finally(() => {
      before = () => false;
    });
    const [image] = bill.images;
    expect(image && manifestFor(image, 'x86-64')).toBe(sha(Buffer.from(amd)));
    expect(image && manifestFor(image, 'arm64')).toBe(sha(Buffer.from(arm)));
    expect(image && manifestFor({ ...image, arch: ['x86-64'] }, 'arm64')).toBeUndefined();
  });
  it('names an image that is not there, or not for the architecture', async () => {
    expect(
      await faultOf(
        walkBill(at, '1', [...parts, { name: 'x', image: 'images.upstream.example/core/none:1', on: 'node' }], ['x86-64'], ''),
      ),
    ).toContain('core/none:1');
    expect(await faultOf(walkBill(at, '1', parts, ['arm64'], ''))).toContain('has no manifest for arm64; it has amd64');
  });
});

describe('a registry that lies', () => {
  const lie = async (body: string | Buffer, status = 200) => {
    before = (_q, res) => {
      res.writeHead(status, { 'content-type': 'application/json' }).end(body);
      return true;
    };
    try {
      return await faultOf(getManifest(at, 'core/api', sha(Buffer.from('asked'))));
    } finally {
      before = () => false;
    }
  };
  it.each([
    ['other bytes than asked for', '{}', 'digest:'],
    ['more than a manifest may have', Buffer.alloc(5_000_000, 32), 'larger than 4 MiB'],
  ] as const)('gives %s', async (_, body, says) => {
    expect(await lie(body)).toContain(says);
  });
  it('gives descriptors that cannot be', async () => {
    for (const layers of [[{ digest: '../../etc/passwd', size: 1 }], [{ digest: sha(Buffer.from('a')), size: -1 }], [null]]) {
      before = (_q, res) => {
        res.writeHead(200).end(JSON.stringify({ config: { digest: sha(Buffer.from('c')), size: 1 }, layers }));
        return true;
      };
      expect(await faultOf(getManifest(at, 'core/api', '1'))).toContain('descriptor without a good digest and size');
    }
    before = () => false;
  });
  it('sends uploads elsewhere', async () => {
    before = (q, res) => {
      if (q.method !== 'POST') return false;
      res.writeHead(202, { location: 'https://elsewhere.example/upload' }).end();
      return true;
    };
    expect(await faultOf(pushBlob(at, 'a/b', sha(Buffer.from('x')), 1, () => Readable.from([Buffer.from('x')])))).toContain(
      'sends uploads elsewhere',
    );
    before = () => false;
  });
});
