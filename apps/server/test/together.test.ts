import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Bill } from '@praesidor/core/model';
import {
  type Answer,
  type Client,
  declareSmall,
  eventually,
  Installation,
  type ShipmentAnswer,
  shipmentIn,
  smallPublications,
} from './installation.ts';

/** Images with two people at once, and with more of everything than the demonstration has. */
const i = new Installation();
let ana: Client;
let ben: Client;
beforeAll(async () => {
  await i.start({ also: smallPublications });
  ana = await i.as('warden');
  ben = await i.as('builder');
  await declareSmall(ana);
  await eventually(async () => {
    const o = (await ana.estate()).observed;
    return o.bills.small && o.bills['1.33.6'] && o.registries['ptl-registry'] && o.registries['lr-registry'];
  }, 'bills and registries');
});
afterAll(() => i.stop());

const plan = (c: Client, body: object) =>
  c.good<{ shipment: ShipmentAnswer }>('POST', '/api/shipments', body).then((r) => r.shipment);
const statuses = (answers: Answer<unknown>[]) => answers.map((a) => a.status).sort();

describe('two people at once', () => {
  it('plan the same: two shipments with labels of their own, and what one brought the other does not bring again', async () => {
    const both = await Promise.all(
      [ana, ben].map((c) => plan(c, { target: 'ptl-registry', bills: ['small'], way: 'fast-link' })),
    );
    expect(new Set(both.map((s) => s.label)).size).toBe(2);
    const reads = async () => ((await i.world.stores.get('upstream')?.pulls()) ?? []).filter((l) => l.kind === 'blob').length;
    const before = await reads();
    for (const s of both) {
      await ben.good('POST', `/api/shipments/${s.label}/start`);
      await shipmentIn(ben, s.label, 'landed');
    }
    const blobs = Object.keys((await ana.estate()).observed.bills.small?.blobs ?? {}).length;
    expect((await reads()) - before).toBe(blobs);
  });
  it('start the same shipment: it is started once, and the other is told', async () => {
    const s = await plan(ana, { target: 'lr-registry', bills: ['small'], caseBytes: 1_000_000 });
    const answers = await Promise.all([ana, ben, ana, ben].map((c) => c.call('POST', `/api/shipments/${s.label}/start`)));
    expect(statuses(answers)).toEqual([200, 409, 409, 409]);
    expect(answers.find((a) => a.status === 409)?.body.message).toBe(`${s.label} is under way.`);
    await shipmentIn(ana, s.label, 'packed');
    // Ana lands, Ben stops: whatever comes first, it ends in one state, and goes on from there.
    await ana.good('POST', `/api/shipments/${s.label}/start`);
    await ben.call('POST', `/api/shipments/${s.label}/stop`);
    const settled = await eventually(async () => {
      const { shipments } = await ana.good<{ shipments: ShipmentAnswer[] }>('GET', '/api/shipments');
      const x = shipments.find((y) => y.label === s.label);
      return x && ['stopped', 'landed'].includes(x.state) && x;
    }, 'one state');
    if (settled.state === 'stopped') {
      await ben.good('POST', `/api/shipments/${s.label}/start`);
      await shipmentIn(ana, s.label, 'landed');
    }
  });
  it('take the same images away: they go once, and the second is told what is left', async () => {
    const may = await ana.good<{ deletes: unknown[]; goes: { bill: string }[] }>(
      'GET',
      '/api/registries/ptl-registry/deletable?keep=1',
    );
    expect(may.goes.map((g) => g.bill)).toContain('small');
    const body = { bills: ['small'], keep: 1, names: 6 };
    const answers = await Promise.all(
      [ana, ben].map((c) => c.call<{ names: number }>('POST', '/api/registries/ptl-registry/delete', body)),
    );
    const names = answers.filter((a) => a.status === 200).map((a) => a.body.names);
    expect(names.reduce((a, b) => a + b, 0)).toBe(6);
    for (const a of answers.filter((x) => x.status !== 200)) expect(a.body.message).toContain('Nothing was taken away');
  });
  it('hand a cluster over to two registries: the first is made, the second sees it before anything is overwritten', async () => {
    const { revision } = await ana.good<{ revision: number }>('GET', '/api/estate');
    const edit = (value: string) => ({
      why: 'prepared',
      revision,
      edits: [{ op: 'set', kind: 'Charter', key: 'plover', path: ['mirror'], value }],
    });
    const answers = await Promise.all([
      ana.call('POST', '/api/edits', edit('bw-registry')),
      ana.call('POST', '/api/edits', edit('ptl-registry')),
    ]);
    expect(statuses(answers)).toEqual([200, 409]);
    const made = answers[0]?.status === 200 ? 'bw-registry' : 'ptl-registry';
    expect((await ana.estate()).charters.find((c) => c.name === 'plover')?.mirror).toBe(made);
  });
});

describe('much', () => {
  const digest = (n: number) => `sha256:${n.toString(16).padStart(64, '0')}`;
  it('twelve thousand blobs are planned as one shipment, each once', async () => {
    const bill: Bill = { name: 'small', at: '2026-11-23T00:00:00Z', images: [], blobs: {} };
    for (let k = 0; k < 1500; k++) {
      const blobs = Array.from({ length: 8 }, (_, l) => digest(1_000_000 + k * 8 + l));
      for (const d of blobs) bill.blobs[d] = { bytes: 1000, declaredBytes: 2_000_000 };
      const m = digest(9_000_000 + k);
      bill.images.push({
        ref: `images.upstream.example/many/i${k}:1`,
        component: `i${k}`,
        on: 'node',
        digest: m,
        manifests: [m],
        blobs,
      });
    }
    await i.running.ctx.db.manager.query("update observation set data = $1 where kind = 'bill' and subject = 'small'", [
      JSON.stringify(bill),
    ]);
    const s = await plan(ben, { target: 'dnl-registry', bills: ['small'] });
    expect(s.bytes).toBe(12_000_000);
    const [row] = (await i.running.ctx.db.manager.query(
      'select count(*)::int as items, count(distinct digest)::int as digests from shipment_item i join shipment s on s.id = i.shipment where s.label = $1',
      [s.label],
    )) as { items: number; digests: number }[];
    expect(row).toEqual({ items: 13_500, digests: 13_500 });
  });
  it('ten thousand lines of a registry’s log are read once, counted by host, and answered at once', async () => {
    const store = i.world.stores.get('bw-registry');
    const at = Date.now() - 3_600_000;
    await Promise.all(
      Array.from({ length: 10_000 }, (_, n) =>
        store?.logPull({
          at: new Date(at + n).toISOString(),
          client: `10.40.199.${33 + (n % 9)}`,
          user: 'keeper',
          agent: `node/bw-0${1 + (n % 9)}`,
          kind: 'manifest',
          repository: `core/c${n % 90}`,
          reference: '1.34.2',
          digest: '',
          status: 200,
        }),
      ),
    );
    const { added } = await ana.good<{ added: number }>('POST', '/api/registries/bw-registry/pulls');
    expect(added).toBeGreaterThanOrEqual(10_000);
    expect((await ana.good<{ added: number }>('POST', '/api/registries/bw-registry/pulls')).added).toBe(0);
    const pulls = await ana.good<{ hosts: { host: string }[] }>('GET', '/api/pulls?site=bw');
    expect(pulls.hosts.length).toBeGreaterThanOrEqual(9);
  });
});
