import type { KubeList, KubeNode } from '@praesidor/protocols/kube';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Client, eventually, Installation, prepare, shipmentIn } from './installation.ts';
import { Plover } from './plover.ts';

const i = new Installation();
let c: Client;
let p: Plover;
/** What lies on a drive of a machine, by its label. */
const onDisk = (host: string, label: string) =>
  [...(i.world.machines.get(host)?.disks.values() ?? [])].flatMap((d) => d.systems).find((s) => s.files.label === label);

describe('a cluster goes to the next release', () => {
  beforeAll(async () => {
    // A machine with much else to do lets the stand-ins wait: how long a host may be silent is not looked at here.
    await i.start({ timeoutSeconds: 60 });
    c = await i.as('warden');
    p = new Plover(i, c);
    await prepare(c);
    const { shipment } = await c.good<{ shipment: { label: string } }>('POST', '/api/shipments', {
      target: 'lr-registry',
      bills: ['1.33.6'],
    });
    for (const state of ['packed', 'landed']) {
      await c.good('POST', `/api/shipments/${shipment.label}/start`);
      await shipmentIn(c, shipment.label, state);
    }
    await p.set('the release before', [['release'], '1.33.6'], [['workers', 'count'], 2]);
    expect((await p.begin('build')).body.number).toBe(1);
    const b = await p.done(1);
    expect(b.proof?.find((p) => p.what === 'versions of the nodes')).toMatchObject({ good: true, found: '1.33' });
  });
  afterAll(() => i.stop());

  it('is planned: who is away when, and the way back', async () => {
    await p.set('the next one', [['release'], '1.34.2']);
    const plan = await p.due();
    expect([plan?.kind, plan?.title, plan?.refused]).toEqual(['upgrade', 'Upgrade plover to 1.34.2', []]);
    expect([plan?.joins.length, plan?.leaves]).toEqual([5, []]);
    expect(plan?.point?.text).toContain('the way back is the backup of etcd');
    // Never two at a time: each drain stands behind the join before it.
    const drains = plan?.steps.filter((s) => s.kind === 'drain') ?? [];
    expect(drains.map((s) => s.after.map((a) => a.split('/')[1] ?? a))).toEqual([
      ['backup'],
      ['join'],
      ['join'],
      ['pod-network'],
      ['join'],
    ]);
    const least = Math.min(...(plan?.capacity.map((p) => p.cores) ?? []));
    expect([plan?.capacity[0]?.cores, least, plan?.capacity.at(-1)?.cores]).toEqual([62, 31, 62]);
  });

  it('one host after the other, and keeps what lies on its disks and in etcd', async () => {
    await p.ask('/api/v1/namespaces/default/configmaps/tide-table', {
      method: 'PATCH',
      contentType: 'application/apply-patch+yaml',
      body: {
        apiVersion: 'v1',
        kind: 'ConfigMap',
        metadata: { name: 'tide-table', namespace: 'default' },
        data: { high: '04:12' },
      },
    });
    const hosts = (await p.serving()).map((h) => h.name);
    for (const h of hosts) {
      const disk = onDisk(h, 'containers');
      if (disk) disk.files['/volumes/one'] = h;
    }
    expect((await p.begin('upgrade')).body.number).toBe(2);
    // The API answers while most of the members run: it never stops.
    let up = true;
    const watching = setInterval(() => {
      up &&= i.world.clusters.list().find((x) => x.name === 'plover')?.up ?? false;
    }, 5);
    const b = await p.done(2).finally(() => clearInterval(watching));
    expect(up).toBe(true);
    expect(b.proof?.filter((p) => !p.good)).toEqual([]);
    expect(b.proof?.find((p) => p.what === 'versions of the nodes')).toMatchObject({ good: true, found: '1.34' });
    const list = (await p.ask<KubeList<KubeNode & { spec?: { unschedulable?: boolean } }>>('/api/v1/nodes'))?.items;
    expect(list?.map((n) => n.status?.nodeInfo?.kubeletVersion)).toEqual(Array(5).fill('v1.34.2'));
    expect(list?.filter((n) => n.spec?.unschedulable)).toEqual([]);
    for (const h of hosts) expect(onDisk(h, 'containers')?.files['/volumes/one'], h).toBe(h);
    const kept = await p.ask<{ data: { high: string } }>('/api/v1/namespaces/default/configmaps/tide-table');
    expect(kept?.data.high).toBe('04:12');
    expect((await p.serving()).map((h) => h.held?.release)).toEqual(Array(5).fill('1.34.2'));
    // The change that laid the disks out is still the first.
    expect(new Set((await p.serving()).map((h) => h.held?.installed)).size).toBe(1);
    expect(await p.due()).toBeNull();
  });

  it('not back, and not while hosts come or go', async () => {
    await p.set('back', [['release'], '1.33.6']);
    expect((await p.due())?.refused).toEqual(['1.33.6 is older than 1.34.2, which hosts have']);
    const a = await p.begin('upgrade');
    expect(a.status).toBe(409);
    await p.set('forth', [['release'], '1.34.2']);
    expect(await p.due()).toBeNull();
  });

  it('a host comes back by itself after a power cut, with what it was installed with last', async () => {
    const name = (await p.serving()).find((h) => h.held?.role === 'worker')?.name ?? '';
    const machine = i.world.machines.get(name);
    machine?.powerOff();
    machine?.powerOn();
    await eventually(async () => {
      const n = await p.ask<KubeNode>(`/api/v1/nodes/${name}`);
      return n?.status?.conditions?.some((x) => x.status === 'True') && n.status.nodeInfo?.kubeletVersion === 'v1.34.2';
    }, 'it is ready again');
  });
});
