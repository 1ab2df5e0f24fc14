import { createHash } from 'node:crypto';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { authOf } from '@praesidor/core/images';
import { createRegistry, Store } from '@praesidor/registry';
import { makeCertificate } from '@praesidor/standins';
import { main } from './main.ts';

/** An image layout as `npm run system` makes one, and a registry that asks for a password. */
const dir = mkdtempSync(join(tmpdir(), 'push-'));
const layout = join(dir, 'image');
const options: string[] = [];
let server: ReturnType<typeof createRegistry>;
let store: Store;

const blob = (body: Buffer) => {
  const hex = createHash('sha256').update(body).digest('hex');
  writeFileSync(join(layout, 'blobs/sha256', hex), body);
  return { digest: `sha256:${hex}`, size: body.length };
};
const octets = 'application/octet-stream';
function lay(): string {
  rmSync(layout, { recursive: true, force: true });
  mkdirSync(join(layout, 'blobs/sha256'), { recursive: true });
  const layers = ['kernel', 'initrd', 'stub', 'contents'].map((title, i) => ({
    mediaType: octets,
    ...blob(Buffer.alloc(i === 1 ? 1_500_000 : 700, title)),
    annotations: { 'org.opencontainers.image.title': title },
  }));
  const config = { mediaType: 'application/vnd.oci.empty.v1+json', ...blob(Buffer.from('{}')) };
  const mediaType = 'application/vnd.oci.image.manifest.v1+json';
  const top = { mediaType, ...blob(Buffer.from(JSON.stringify({ schemaVersion: 2, mediaType, config, layers }))) };
  writeFileSync(join(layout, 'index.json'), JSON.stringify({ schemaVersion: 2, manifests: [top] }));
  return top.digest;
}
const push = async (...more: string[]) => {
  let out = '';
  let err = '';
  const code = await main(
    ['images', 'push', layout, 'core/system:1.34.2', ...options, ...more],
    (t) => {
      out += t;
    },
    (t) => {
      err += t;
    },
  );
  return { code, out, err };
};

beforeAll(async () => {
  const pair = await makeCertificate({ commonName: 'registry', names: ['images.upstream.example'] });
  writeFileSync(join(dir, 'ca.crt'), pair.cert);
  store = await new Store(join(dir, 'store')).open();
  server = createRegistry({ store, tls: pair, users: { keeper: 'k' }, scheme: 'bearer' });
  await new Promise<void>((done) => {
    server.listen(0, '127.0.0.1', done);
  });
  const endpoint = `images.upstream.example:${(server.address() as AddressInfo).port}`;
  writeFileSync(join(dir, 'auth.json'), JSON.stringify({ auths: { [endpoint]: { auth: authOf('keeper', 'k') } } }));
  options.push('--registry', endpoint, '--at', '127.0.0.1', '--ca', join(dir, 'ca.crt'), '--auth', join(dir, 'auth.json'));
});
afterAll(() => {
  server.closeAllConnections();
  server.close();
  rmSync(dir, { recursive: true, force: true });
});

it('sends what is not there, under its name, and the second time nothing', async () => {
  const digest = lay();
  const first = await push();
  expect(first).toMatchObject({ code: 0, err: '' });
  expect(first.out).toMatch(new RegExp(`/core/system:1\\.34\\.2 is ${digest}; 1\\.5 MB were sent\\.\\n$`));
  expect((await push()).out).toContain('all of its layers were there');
  expect(JSON.parse((await push('--json')).out)).toMatchObject({ digest, sentBytes: 0 });
});
it('refuses a layout that is not what it says, before the manifest goes', async () => {
  const digest = lay();
  const kernel = createHash('sha256').update(Buffer.alloc(700, 'kernel')).digest('hex');
  rmSync(join(layout, 'blobs/sha256', kernel));
  expect((await push()).err).toContain('is not in the layout');
  writeFileSync(join(layout, 'blobs/sha256', kernel), 'short');
  expect((await push()).err).toContain('has 5 bytes, and its manifest says 700');
  lay();
  const manifest = join(layout, 'blobs/sha256', digest.slice(7));
  writeFileSync(manifest, `${readFileSync(manifest, 'utf8')} `);
  expect((await push()).err).toContain('does not have its digest');
  lay();
  writeFileSync(join(layout, 'index.json'), JSON.stringify({ manifests: [] }));
  expect((await push()).err).toContain('another number of images than one');
  rmSync(join(layout, 'index.json'));
  expect(await push()).toMatchObject({ code: 2, err: expect.stringContaining('cannot be read') });
});
it('a layer with other bytes is refused by the registry, and nothing stands under the name', async () => {
  lay();
  const stub = createHash('sha256').update(Buffer.alloc(700, 'stub')).digest('hex');
  writeFileSync(join(layout, 'blobs/sha256', stub), Buffer.alloc(700, 'x'));
  rmSync(store.blobPath(`sha256:${stub}`));
  const r = await push();
  expect([r.code, r.err]).toEqual([2, expect.stringMatching(/digest/)]);
});
