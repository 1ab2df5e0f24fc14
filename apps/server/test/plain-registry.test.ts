import { rmSync } from 'node:fs';
import type { Server } from 'node:http';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { HandOver } from '@praesidor/core/images';
import { handOver } from '@praesidor/core/images';
import { createRegistry, Store } from '@praesidor/registry';
import { makeCertificate } from '@praesidor/standins';
import {
  type Client,
  declareSmall,
  eventually,
  Installation,
  type ShipmentAnswer,
  shipmentIn,
  smallPublications,
} from './installation.ts';

/**
 * A standing registry that is not ours: it tells no more than the standard. It stands in the sealed room beside the starter,
 * and takes over from it.
 */
const i = new Installation();
let c: Client;
let server: Server;
let store: Store;
const asked: string[] = [];
const small = 'small';
beforeAll(async () => {
  await i.start({ also: smallPublications });
  c = await i.as('warden');
  await declareSmall(c);
  await eventually(async () => {
    const o = (await c.estate()).observed;
    return o.bills[small] && o.registries['lr-registry'];
  }, 'the bill');
  const shift = i.config.addressMap[0]?.portShift ?? 0;
  const ca = await makeCertificate({ commonName: 'Standing CA', isCa: true });
  store = await new Store(join(i.config.dataDir, 'plain')).open();
  server = createRegistry({
    store,
    tls: await makeCertificate({ commonName: 'standing', addresses: ['10.62.8.77'], ca }),
    users: { depot: 'plain-secret' },
    before: (req, res) => {
      asked.push(`${req.method} ${req.url}`);
      if (!req.url?.startsWith('/praesidor/')) return false;
      res.writeHead(404).end();
      return true;
    },
  });
  await new Promise<void>((done, fail) => {
    server.once('error', fail);
    server.listen(5000 + shift, '127.62.8.77', done);
  });
  await c.good('POST', '/api/keyring', {
    name: 'standing',
    use: 'registry',
    user: 'depot',
    secret: 'plain-secret',
    places: ['10.62.8.77'],
  });
  await c.good('POST', '/api/import', {
    text: `apiVersion: praesidor/v1\nkind: Registry\nname: lr-standing\nsite: lr\nrole: standing\nendpoint: '10.62.8.77:5000'\ncredential: standing\nca: ${JSON.stringify(ca.cert)}\nkeeps: [{source: images.upstream.example, under: rooms/lr}]\n`,
  });
});
afterAll(async () => {
  server?.closeAllConnections();
  await new Promise((done) => server?.close(done));
  await i.stop();
  rmSync(join(i.config.dataDir, 'plain'), { recursive: true, force: true });
});
const look = () => c.good('POST', '/api/registries/lr-standing/look');
const seen = async () => (await c.estate()).observed.registries['lr-standing'];
const plan = (body: object) => c.call<{ shipment: ShipmentAnswer }>('POST', '/api/shipments', body);
const ship = async (body: object) => {
  const { shipment } = (await plan(body)).body;
  for (const state of (body as { way?: string }).way === 'case' ? ['packed', 'landed'] : ['landed']) {
    await c.good('POST', `/api/shipments/${shipment.label}/start`);
    await shipmentIn(c, shipment.label, state);
  }
  return shipment;
};

describe('a registry that tells no more than the standard', () => {
  it('is asked for what the bills name', async () => {
    await look();
    const s = await seen();
    expect(s?.error).toBeUndefined();
    expect([s?.digests, s?.names]).toEqual([[], []]);
    expect(Date.parse(s?.askedAt ?? '')).toBeGreaterThan(Date.now() - 60_000);
  });
  it('is filled from the starter within the sealed room, over its own network, below a path of its own', async () => {
    await ship({ target: 'lr-registry', bills: [small], way: 'case' });
    // From outside nothing reaches it over a link, and nothing leaves the room over one.
    expect((await plan({ target: 'lr-standing', bills: [small], way: 'link' })).body.message).toContain('is sealed');
    expect((await plan({ target: 'bw-registry', source: 'lr-registry', bills: [small], way: 'link' })).body.message).toContain(
      'nothing leaves it over a link',
    );
    const s = await ship({ target: 'lr-standing', source: 'lr-registry', bills: [small] });
    expect((await c.good<{ shipments: { label: string; way: string }[] }>('GET', '/api/shipments')).shipments[0]).toMatchObject({
      label: s.label,
      way: 'link',
    });
    const bill = (await c.estate()).observed.bills[small];
    expect((await store.names()).map((n) => n.split('@')[0])).toEqual(
      bill?.images.map((x) => x.ref.replace('images.upstream.example', 'rooms/lr')).sort(),
    );
    expect((await seen())?.digests.sort()).toEqual(
      [...new Set(bill?.images.flatMap((x) => [...x.manifests, ...x.blobs]))].sort(),
    );
    expect((await plan({ target: 'lr-standing', source: 'lr-registry', bills: [small] })).body.message).toContain(
      'holds everything',
    );
  });
  it('is believed for a while, asked anew by somebody, and what went meanwhile is missed', async () => {
    const blobs = () => asked.filter((a) => a.startsWith('HEAD') && a.includes('/blobs/')).length;
    await look();
    const { lookAt } = await import('../src/areas/images/registries.ts');
    const before = blobs();
    await lookAt(i.running.ctx, 'lr-standing');
    expect(blobs()).toBe(before);
    const bill = (await c.estate()).observed.bills[small];
    const [image] = bill?.images ?? [];
    const own = image?.blobs.find((b) => bill?.images.every((x) => x === image || !x.blobs.includes(b))) as string;
    await store.deleteBlob(`rooms/lr/${image?.ref.split('/').slice(1).join('/').split(':')[0]}`, own);
    await look();
    expect((await seen())?.digests).not.toContain(own);
    // Only what is gone is brought again.
    const s = await ship({ target: 'lr-standing', source: 'lr-registry', bills: [small] });
    expect(s.bytes).toBe(bill?.blobs[own]?.bytes);
  });
  it('takes over: content proved by asking, then clusters; without log, scrub and tidying, which is said', async () => {
    const e = await c.estate();
    const [from, to] = ['lr-registry', 'lr-standing'].map((n) => e.registries.find((r) => r.name === n));
    e.charters = e.charters.map((x) => (x.name === 'plover' ? { ...x, release: small, addons: [] } : x));
    const steps: HandOver['steps'] = handOver(e, from as never, to as never, 0).steps;
    expect(steps.slice(0, 3).map((s) => [s.what, s.done, s.waits])).toEqual([
      ['content', true, undefined],
      ['proof', true, undefined],
      ['cluster', false, undefined],
    ]);
    expect((await c.call('POST', '/api/registries/lr-standing/scrub')).body.message).toContain(
      'cannot be asked to read itself again',
    );
    expect((await c.good<{ added: number }>('POST', '/api/registries/lr-standing/pulls')).added).toBe(0);
    const took = await c.good<{ names: number; blobs: number }>('POST', '/api/registries/lr-standing/delete', {
      bills: [small],
      keep: 0,
      names: 6,
    });
    expect(took).toMatchObject({ names: 6, blobs: 0 });
    expect(await store.names()).toEqual([]);
  });
});
