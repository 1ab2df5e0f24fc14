import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Release } from '@praesidor/core/model';
import type { KubeList, KubeNode } from '@praesidor/protocols/kube';
import { readWorld } from '../../../packages/standins/src/read-world.ts';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Client, eventually, Installation, prepare, shipmentIn } from './installation.ts';
import { Plover } from './plover.ts';

const root = join(dirname(fileURLToPath(import.meta.url)), '../../..');
/** What upstream has of 1.33.6 it has of 1.32.9 too. */
const older = readWorld(join(root, 'demo/world.yaml'), join(root, 'demo/estate'))
  .registries.find((r) => r.name === 'upstream')
  ?.publications.filter((p) => p.image.endsWith(':1.33.6'))
  .map((p) => ({ ...p, image: p.image.replace('1.33.6', '1.32.9') }));

const i = new Installation();
let c: Client;
let p: Plover;
const ship = async (...bills: string[]) => {
  const { shipment } = await c.good<{ shipment: { label: string } }>('POST', '/api/shipments', { target: 'lr-registry', bills });
  for (const state of ['packed', 'landed']) {
    await c.good('POST', `/api/shipments/${shipment.label}/start`);
    await shipmentIn(c, shipment.label, state);
  }
};
const versions = async () =>
  (await p.ask<KubeList<KubeNode>>('/api/v1/nodes'))?.items.map((n) => n.status?.nodeInfo?.kubeletVersion);

describe('a cluster that is two releases behind', () => {
  beforeAll(async () => {
    await i.start({ also: older ?? [], timeoutSeconds: 60 });
    c = await i.as('warden');
    p = new Plover(i, c);
    await prepare(c);
    const has = (await c.estate()).releases.find((r) => r.name === '1.33.6') as Release;
    await c.good('POST', '/api/edits', {
      why: 'an older one',
      edits: [{ op: 'put', doc: JSON.parse(JSON.stringify(has).replaceAll('1.33.6', '1.32.9')) }],
    });
    await eventually(async () => (await c.estate()).observed.bills['1.32.9'], 'its bill');
    await ship('1.32.9');
    const hosts = (await c.estate()).hosts.filter((h) => h.site === 'lr' && h.name.startsWith('lr-0')).map((h) => h.name);
    // One room, one zone: what may be away at once is a matter of room alone.
    await c.good('POST', '/api/edits', {
      why: 'one zone',
      edits: hosts.map((key) => ({ op: 'set', kind: 'Host', key, path: ['zone'], value: 'A' })),
    });
    await p.set(
      'one member and four workers',
      [['release'], '1.32.9'],
      [['controlPlane', 'count'], 1],
      [['workers', 'count'], 4],
    );
    expect((await p.begin('build')).body).toMatchObject({ number: 1 });
    await p.done(1);
    expect(new Set(await versions())).toEqual(new Set(['v1.32.9']));
  });
  afterAll(() => i.stop());

  it('is shown the first step, and what follows', async () => {
    await p.set('two further', [['release'], '1.34.2']);
    expect(await p.due()).toMatchObject({
      kind: 'upgrade',
      title: 'Upgrade plover to 1.33.6, on the way to 1.34.2',
      further: ['1.34.2'],
      refused: [],
    });
  });

  it('does not begin before the images of every step are there', async () => {
    const a = await p.begin('upgrade');
    expect([a.status, a.body.message]).toEqual([409, expect.stringContaining('plover cannot be built')]);
    // What it requires is what its first step requires: those of the last are there.
    const { prerequisites } = await c.good<{ prerequisites: { id: string; state?: string; said?: string }[] }>(
      'POST',
      '/api/charters/plover/prerequisites/measure',
    );
    expect(prerequisites.find((x) => x.id === 'findings')).toMatchObject({
      state: 'bad',
      said: expect.stringContaining('IMG-001'),
    });
    await ship('1.33.6');
  });

  it('goes both steps, one after the other, by itself; workers side by side as far as there is room', async () => {
    const due = await p.due();
    // Four workers of 31 usable cores, and next to nothing asked for: two away and one lost leave one.
    expect(due?.rows.find((r) => r.what === 'Workers away at once')).toMatchObject({ after: 'up to 2, the first alone' });
    expect((await p.begin('upgrade')).body).toMatchObject({ number: 2 });
    await p.done(2);
    await eventually(async () => (await c.call('GET', '/api/builds/plover/3')).status === 200, 'the next step has begun');
    await p.done(3);
    const { builds } = await c.good<{ builds: { number: number; title: string; createdBy: string }[] }>('GET', '/api/builds');
    expect(builds.find((b) => b.number === 3)).toMatchObject({ title: 'Upgrade plover to 1.34.2', createdBy: 'warden' });
    expect(new Set(await versions())).toEqual(new Set(['v1.34.2']));
    expect(await p.due()).toBeNull();
    // Two were away together, and never three.
    const [worker] = await i.query<{ most: string }>(
      `with away as (select (e.data->>'at')::timestamptz as at, case e.data->>'kind' when 'started' then 1 else -1 end as by from run_event e join run r on r.id = e.run
         where r.id = (select id from build where charter = 'plover' and number = 3) and (
           (e.data->>'kind' = 'started' and e.data->>'step' like '%/drain') or (e.data->>'kind' = 'succeeded' and e.data->>'step' like '%/join')))
       select max(n) as most from (select sum(by) over (order by at, by) as n from away) x`,
    );
    expect(Number(worker?.most)).toBe(2);
  });
});
