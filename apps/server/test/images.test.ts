import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { CaseFolder } from '@praesidor/shipping';
import { type Client, eventually, Installation, type ShipmentAnswer, shipmentIn } from './installation.ts';

interface WhereAnswer {
  would: { works?: boolean; steps: { what: string; good?: boolean; text: string }[] };
  measured: { what: string; good: boolean; text: string }[];
}
const i = new Installation();
let c: Client;
beforeAll(async () => {
  await i.start({ whole: true });
  c = await i.as('warden');
  await eventually(async () => {
    const e = await c.estate();
    return (
      ['1.34.2', '1.33.6', 'log-shipper', 'inbound-router'].every((n) => e.observed.bills[n]) &&
      e.observed.registries['lr-registry'] &&
      e.observed.registries['bw-registry']
    );
  }, 'bills and registries');
});
afterAll(() => i.stop());

const plan = (target: string, bills: string[]) =>
  c.good<{ shipment: ShipmentAnswer }>('POST', '/api/shipments', { target, bills }).then((r) => r.shipment);
const start = (label: string) => c.good('POST', `/api/shipments/${label}/start`);
const blobsRead = async (registry: string) =>
  (await i.world.stores.get(registry)?.pulls())?.filter((l) => l.kind === 'blob') ?? [];

describe('a bill', () => {
  it('is walked at the source, with the size its publisher declares', async () => {
    const bill = (await c.estate()).observed.bills['1.34.2'];
    expect(bill?.images).toHaveLength(96);
    const declaredBytes = Object.values(bill?.blobs ?? {}).reduce((n, b) => n + b.declaredBytes, 0);
    const bytes = Object.values(bill?.blobs ?? {}).reduce((n, b) => n + b.bytes, 0);
    expect(declaredBytes / 1e9).toBeGreaterThan(8);
    expect(declaredBytes / 1e9).toBeLessThan(9.5);
    expect(declaredBytes / bytes).toBeGreaterThan(1500);
  });
});

describe('by case, into a sealed room', () => {
  let label: string;
  it('plans exactly the three layers that are missing', async () => {
    const s = await plan('lr-registry', ['1.34.2', 'inbound-router', 'log-shipper']);
    label = s.label;
    const [{ n }] = (await i.running.ctx.db.query(
      "select count(distinct digest)::int as n from shipment_item where kind = 'blob' and bytes > 0",
    )) as [{ n: number }];
    expect(n).toBe(3);
  });
  it('goes on at the byte where a connection broke, and packs a layout that sha256sum confirms', async () => {
    i.plant('registry-drops', 'upstream');
    await start(label);
    const s = await shipmentIn(c, label, 'packed');
    i.lift('registry-drops', 'upstream');
    expect(s.resumed).toBeGreaterThanOrEqual(1);
    expect(s.movedBytes).toBe(s.bytes);
    const dir = join(i.config.dataDir, 'cases', label, 'case-1');
    execFileSync('sha256sum', ['--quiet', '-c', 'SHA256SUMS'], { cwd: dir });
    expect(JSON.parse(readFileSync(join(dir, 'oci-layout'), 'utf8'))).toEqual({ imageLayoutVersion: '1.0.0' });
    expect((JSON.parse(readFileSync(join(dir, 'index.json'), 'utf8')) as { manifests: unknown[] }).manifests).toHaveLength(3);
  });
  it('lands it whole: every image can be read, and nothing is lacking', async () => {
    await start(label);
    await shipmentIn(c, label, 'landed');
    expect((await c.call('POST', '/api/shipments', { target: 'lr-registry', bills: ['log-shipper'] })).body.message).toContain(
      'holds everything',
    );
    const { would, measured } = await c.good<WhereAnswer>('POST', '/api/images/where', {
      charter: 'plover',
      image: 'images.upstream.example/addons/log-shipper:2.9.1',
    });
    expect(would.works, JSON.stringify(would.steps)).toBe(true);
    expect(would.steps.map((s) => s.what)).toEqual(['rule', 'name', 'path', 'certificate', 'trust', 'credentials', 'content']);
    expect(measured.map((s) => [s.what, s.good])).toEqual([
      ['credentials', true],
      ['content', true],
    ]);
  });
});

describe('over the link, to an open site', () => {
  it('moves each layer once, and nothing the second time', async () => {
    const s = await plan('bw-registry', ['1.33.6']);
    const before = (await blobsRead('upstream')).length;
    await start(s.label);
    const done = await shipmentIn(c, s.label, 'landed');
    const read = (await blobsRead('upstream')).slice(before).map((l) => l.digest);
    expect(read.length).toBe(new Set(read).size);
    expect(done.movedBytes).toBe(done.bytes);
    expect((await c.call('POST', '/api/shipments', { target: 'bw-registry', bills: ['1.33.6'] })).status).toBe(409);
    expect((await blobsRead('upstream')).length).toBe(before + read.length);
  });
});

describe('what is wrong is seen', () => {
  it('a byte changed on the way is not accepted; the next try mends it', async () => {
    const box = await new CaseFolder(join(i.config.dataDir, 'cases', 'T-1')).open();
    const hex = '9f86d081884c7d659a2feaa0c55ad015a3bf4f1b2b0b822cd15d6c15b0f00a08'; // of "test"
    const bytes = async function* (t: string) {
      yield Buffer.from(t);
    };
    await expect(box.take(`blobs/sha256/${hex}`, hex, bytes('tesT'), () => undefined)).rejects.toThrow(
      'arrived with other bytes',
    );
    expect(await box.size(`blobs/sha256/${hex}`)).toBeUndefined();
    await box.take(`blobs/sha256/${hex}`, hex, bytes('test'), () => undefined);
    expect(await box.size(`blobs/sha256/${hex}`)).toBe(4);
  });
  it('a registry that cannot be reached keeps what was seen of it, and says so', async () => {
    const before = (await c.estate()).observed.registries['lr-registry']?.digests.length;
    i.plant('registry-name', 'lr-registry');
    const { seen } = await c.good<{ seen: { error?: string; held: number } }>('POST', '/api/registries/lr-registry/look');
    expect(seen.error).toContain('certificate is for depot.elsewhere.example');
    expect(seen.held).toBe(before);
    i.lift('registry-name', 'lr-registry');
  });
  it.each([
    [{ target: 'nowhere', bills: ['1.34.2'] }, 404],
    [{ target: 'bw-registry', bills: ['9.9.9'] }, 409],
    [{ target: 'bw-registry', bills: [] }, 422],
  ])('%j is refused with %d', async (body, status) => {
    expect((await c.call('POST', '/api/shipments', body)).status).toBe(status);
  });
});
