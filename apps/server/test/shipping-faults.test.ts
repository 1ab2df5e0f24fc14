import type { ChildProcess } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import {
  type Client,
  declareSmall,
  eventually,
  Installation,
  type ShipmentAnswer,
  shipmentIn,
  smallPublications,
} from './installation.ts';

/** What an engineer sees of a shipment when the world goes wrong: what broke, why, what to do, and that nothing was lost. */
const i = new Installation();
let c: Client;
beforeAll(async () => {
  await i.start({ also: smallPublications });
  c = await i.as('warden');
  await declareSmall(c);
  await eventually(async () => {
    const o = (await c.estate()).observed;
    return (
      ['small', 'log-shipper', '1.33.6'].every((n) => o.bills[n]) &&
      ['bw-registry', 'dnl-registry', 'ptl-registry'].every((n) => o.registries[n] && !o.registries[n]?.error)
    );
  }, 'bills and registries');
});
afterAll(() => i.stop());

const plan = (target: string, bills: string[], more: object = {}) =>
  c.good<{ shipment: ShipmentAnswer }>('POST', '/api/shipments', { target, bills, ...more }).then((r) => r.shipment);
const start = (label: string) => c.good('POST', `/api/shipments/${label}/start`);
const digests = async (registry: string) => new Set(await i.world.stores.get(registry)?.digests());
const whole = async (registry: string, bill: string) => {
  const held = await digests(registry);
  return Object.keys((await c.estate()).observed.bills[bill]?.blobs ?? {}).every((d) => held.has(d));
};

const shipmentOf = async (label: string) =>
  (await c.good<{ shipments: ShipmentAnswer[] }>('GET', '/api/shipments')).shipments.find((s) => s.label === label);

describe('over the link', () => {
  it('a full disk stops it with what to do; with room it goes on, and sends nothing twice', async () => {
    i.plant('registry-full', 'bw-registry');
    const s = await plan('bw-registry', ['small']);
    await start(s.label);
    expect((await shipmentIn(c, s.label, 'failed')).error).toMatch(
      /^registry\.bw\.kestrelferries\.example:5000: .*the disk set aside for images is full/,
    );
    i.lift('registry-full', 'bw-registry');
    const before = (await i.world.stores.get('upstream')?.pulls())?.filter((l) => l.kind === 'blob').length ?? 0;
    await start(s.label);
    await shipmentIn(c, s.label, 'landed');
    expect(await whole('bw-registry', 'small')).toBe(true);
    const read = (await i.world.stores.get('upstream')?.pulls())?.filter((l) => l.kind === 'blob').slice(before) ?? [];
    expect(read.length).toBe(new Set(read.map((l) => l.digest)).size);
  });
  it('asked to come again later by both ends, it does, and lands', async () => {
    i.plant('registry-busy', 'upstream');
    i.plant('registry-busy', 'ptl-registry');
    const s = await plan('ptl-registry', ['log-shipper'], { way: 'fast-link' });
    await start(s.label);
    await shipmentIn(c, s.label, 'landed');
    i.lift('registry-busy', 'upstream');
    i.lift('registry-busy', 'ptl-registry');
    expect(await whole('ptl-registry', 'log-shipper')).toBe(true);
  });
  it('uploads that are cut are gone on with, and that is said without frightening anybody', async () => {
    i.plant('registry-cuts-uploads', 'dnl-registry');
    const s = await plan('dnl-registry', ['log-shipper'], { way: 'fast-link' });
    await start(s.label);
    const done = await shipmentIn(c, s.label, 'landed');
    i.lift('registry-cuts-uploads', 'dnl-registry');
    expect(done.resumed).toBeGreaterThanOrEqual(1);
    expect(done.error).toBeNull();
    expect(await whole('dnl-registry', 'log-shipper')).toBe(true);
  });
  it('a certificate that ends in the middle stops it before a byte more is sent; renewed, it goes on where it stood', async () => {
    // Slowly enough for something to happen in the middle: 2.4 MB at 1 MB/s.
    await c.good('POST', '/api/edits', {
      why: 'rate',
      edits: [{ op: 'set', kind: 'Site', key: 'ptl', path: ['fastLink', 'rateMbit'], value: 8 }],
    });
    const s = await plan('ptl-registry', ['small'], { way: 'fast-link' });
    const before = (await digests('ptl-registry')).size;
    await start(s.label);
    await eventually(async () => (await digests('ptl-registry')).size > before + 4, 'some layers moved');
    i.plant('registry-expired', 'ptl-registry');
    const broke = await shipmentIn(c, s.label, 'failed');
    expect(broke.error).toMatch(
      /registry\.ptl\.kestrelferries\.example:5000: its certificate is not to be trusted: CERT_HAS_EXPIRED/,
    );
    const stood = (await digests('ptl-registry')).size;
    i.lift('registry-expired', 'ptl-registry');
    await start(s.label);
    await shipmentIn(c, s.label, 'landed');
    expect((await digests('ptl-registry')).size).toBeGreaterThan(stood);
    expect(await whole('ptl-registry', 'small')).toBe(true);
  });
  it('the process that carries it is killed in the middle: it is said, and it goes on with another one', async () => {
    // Slowly enough for something to happen in the middle: 1.6 MB at half a megabyte a second.
    await c.good('POST', '/api/edits', {
      why: 'rate',
      edits: [{ op: 'set', kind: 'Site', key: 'bw', path: ['link', 'rateMbit'], value: 4 }],
    });
    const s = await plan('bw-registry', ['1.33.6']);
    const carrier = i.running.ctx.transfer as unknown as { child: ChildProcess };
    await start(s.label);
    await eventually(async () => (await shipmentOf(s.label))?.movedBytes, 'bytes on their way');
    carrier.child.kill('SIGKILL');
    expect((await shipmentIn(c, s.label, 'failed')).error).toMatch(/the process that carries shipments ended in the middle/);
    await start(s.label);
    await shipmentIn(c, s.label, 'landed');
    expect(await whole('bw-registry', '1.33.6')).toBe(true);
  });
  it('killed while cases are packed, it is said too, and they are packed on', async () => {
    const { shipment: s } = await c.good<{ shipment: ShipmentAnswer }>('POST', '/api/shipments', {
      target: 'lr-registry',
      bills: ['1.33.6'],
      way: 'case',
      caseBytes: 5_000_000,
    });
    const carrier = i.running.ctx.transfer as unknown as { child: ChildProcess };
    await start(s.label);
    await eventually(async () => (await shipmentOf(s.label))?.movedBytes, 'bytes on their way');
    carrier.child.kill('SIGKILL');
    // It may have been done already: then nothing is to be said.
    const first = await eventually(async () => {
      const x = (await c.good<{ shipments: ShipmentAnswer[] }>('GET', '/api/shipments')).shipments.find(
        (y) => y.label === s.label,
      );
      return x && ['failed', 'packed'].includes(x.state) && x;
    }, 'an end');
    if (first.state === 'failed') {
      expect(first.error).toMatch(/the process that carries shipments ended in the middle/);
      await start(s.label);
      await shipmentIn(c, s.label, 'packed');
    }
    await start(s.label);
    await shipmentIn(c, s.label, 'landed');
    expect(await whole('lr-registry', '1.33.6')).toBe(true);
  });
  it('a byte that is wrong at the source is refused by the target, and the source is named', async () => {
    // Of a layer that stands at the source alone, the first byte: what is read has another digest, every time.
    const bill = (await c.estate()).observed.bills.small;
    const held = await digests('dnl-registry');
    const [digest] = Object.entries(bill?.blobs ?? {}).find(([d, b]) => !held.has(d) && b.bytes > 5000) as [string, unknown];
    const path = i.world.stores.get('upstream')?.blobPath(digest) as string;
    const { readFileSync } = await import('node:fs');
    const good = readFileSync(path);
    writeFileSync(path, Buffer.concat([Buffer.from([(good[0] as number) ^ 1]), good.subarray(1)]));
    const s = await plan('dnl-registry', ['small'], { way: 'fast-link' });
    await start(s.label);
    expect((await shipmentIn(c, s.label, 'failed')).error).toBe(
      `images.upstream.example: ${digest.slice(0, 19)} was read with other bytes; registry.dnl.kestrelferries.example:5000 refused them`,
    );
    expect((await shipmentOf(s.label))?.wrong).toEqual([digest]);
    expect(await digests('dnl-registry')).not.toContain(digest);
    writeFileSync(path, good);
    await start(s.label);
    await shipmentIn(c, s.label, 'landed');
    expect(await whole('dnl-registry', 'small')).toBe(true);
  });
});
