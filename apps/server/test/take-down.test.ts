import type { ChangePlan } from '@praesidor/core/changes';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Client, Installation, prepare } from './installation.ts';
import { Plover } from './plover.ts';

const i = new Installation();
let c: Client;
let p: Plover;
const own = async () =>
  (await c.estate()).reservations
    .filter((r) => r.owner.kind === 'charter' && r.owner.name === 'plover')
    .map((r) => r.owner.use ?? '');
const take = (confirm?: string) =>
  c.call<{ number: number }>('POST', '/api/builds', { charter: 'plover', kind: 'take-down', ...(confirm ? { confirm } : {}) });
const secrets = async () =>
  Number((await i.query<{ n: number }>("select count(*)::int as n from cluster_secret where charter = 'plover'"))[0]?.n);
const records = () => i.world.dns.zones.flatMap((z) => z.records.map((r) => r.name)).filter((n) => n.includes('plover'));

describe('a cluster is taken down', () => {
  beforeAll(async () => {
    await i.start();
    c = await i.as('warden');
    p = new Plover(i, c);
    await prepare(c);
    await p.set('small', [['workers', 'count'], 1]);
    expect((await take('plover')).body.message).toBe('No host serves plover: there is nothing to take down.');
    await p.begin('build');
    await p.done(1);
  });
  afterAll(() => i.stop());

  it('is shown before, and confirmed by its name', async () => {
    const { due } = await c.good<{ due: ChangePlan }>('GET', '/api/charters/plover/change?kind=take-down');
    expect([due.title, due.leaves.length, due.ends]).toEqual(['Take plover down', 4, true]);
    // It is never what is due by itself.
    expect(await p.due()).toBeNull();
    for (const confirm of [undefined, 'tern']) expect((await take(confirm)).status).toBe(422);
    expect(
      (await (await i.as('planner')).call('POST', '/api/builds', { charter: 'plover', kind: 'take-down', confirm: 'plover' }))
        .status,
    ).toBe(403);
  });

  it('ends: hosts off and held, addresses and names given back, keys forgotten, a backup kept', async () => {
    const hosts = (await p.serving()).map((h) => h.name);
    expect(records().length).toBeGreaterThan(0);
    expect(await secrets()).toBeGreaterThan(10);
    expect((await take('plover')).body.number).toBe(2);
    const b = await p.done(2);
    expect(b.proof?.map((l) => [l.what, l.good])).toEqual([
      ['hosts are off', true],
      ['API address', true],
      ['names of the cluster lead nowhere', true],
    ]);
    for (const name of hosts) expect(i.world.machines.get(name)?.power, name).toBe('Off');
    const after = (await c.estate()).hosts.filter((h) => hosts.includes(h.name));
    // By what laid out their disks, one change, what lies on them is told from everything else.
    const [run] = await i.query<{ id: number }>("select id from build where charter = 'plover' and number = 1");
    expect(after.map((h) => [h.state, h.held?.charter, h.held?.installed, h.held?.release])).toEqual(
      hosts.map(() => ['held', 'plover', `build ${run?.id}`, undefined]),
    );
    // What lies on the drives would come up with the addresses of the nodes: these wait until the hosts are wiped.
    expect((await own()).every((use) => use.startsWith('node '))).toBe(true);
    expect(records()).toEqual([]);
    expect(await secrets()).toBe(0);
    const { backups } = await c.good<{ backups: { number: number }[] }>('GET', '/api/charters/plover/etcd-backups');
    expect(backups.map((x) => x.number)).toEqual([2]);
    expect((await c.estate()).charters.some((x) => x.name === 'plover')).toBe(true);
  });

  it('what is left over of it is found and named: here what somebody edited at the name server', async () => {
    interface Made {
      made: { kind: string; name: string; state: string; about: string }[];
    }
    const made = async () => (await c.good<Made>('GET', '/api/charters/plover/made')).made;
    const before = await made();
    // Hosts, and the addresses of their nodes, wait until they are wiped; nothing else is there but what is kept on purpose.
    expect(new Set(before.filter((t) => t.state === 'waits').map((t) => t.kind))).toEqual(new Set(['hosts', 'addresses']));
    expect(before.filter((t) => t.state === 'left-over')).toEqual([]);
    const zone = i.world.dns.zones.find((z) => z.name === 'lr.kestrelferries.example');
    zone?.records.push({ name: 'tides.lr.kestrelferries.example', type: 'A', ttl: 300, value: '10.62.8.20' });
    await c.good('POST', '/api/zones/lr.kestrelferries.example/read');
    expect((await made()).filter((t) => t.state === 'left-over')).toMatchObject([
      {
        kind: 'records',
        name: 'tides.lr.kestrelferries.example A 10.62.8.20',
        about: expect.stringContaining('an address of plover'),
      },
    ]);
    zone?.records.pop();
    await c.good('POST', '/api/zones/lr.kestrelferries.example/read');
    expect((await made()).filter((t) => t.state === 'left-over')).toEqual([]);
  });

  it('is not built over what lies on its drives: its hosts are given back first, by an act of its own', async () => {
    const due = await p.due();
    expect([due?.kind, due?.refused]).toEqual([
      'build',
      [expect.stringMatching(/^what the cluster before left lies on the drives of 4 hosts: give its hosts back first$/)],
    ]);
    expect((await p.begin('build')).status).toBe(409);
    const give = (confirm?: string) =>
      c.call<{ number: number }>('POST', '/api/builds', {
        charter: 'plover',
        kind: 'give-back',
        ...(confirm ? { confirm } : {}),
      });
    for (const confirm of [undefined, 'tern']) expect((await give(confirm)).status).toBe(422);
    const held = (await c.estate()).hosts.filter((h) => h.held?.charter === 'plover').map((h) => h.name);
    const { due: shown } = await c.good<{ due: ChangePlan }>('GET', '/api/charters/plover/change?kind=give-back');
    expect([shown.title, shown.leaves, shown.ends]).toEqual(['Give back hosts of plover', held, true]);
    expect((await give('plover')).body.number).toBe(3);
    const b = await p.done(3);
    expect(b.proof?.map((l) => [l.what, l.good])).toEqual([
      ['hosts are off', true],
      ['drives are erased', true],
      ['API address', true],
      ['names of the cluster lead nowhere', true],
    ]);
    // What each drive answered is the proof, with the host.
    const hosts = (await c.estate()).hosts.filter((h) => held.includes(h.name));
    expect(hosts.map((h) => [h.state, h.held, h.wiped?.drives.length])).toEqual(held.map(() => ['fit', undefined, 2]));
    for (const name of held) expect(i.world.machines.get(name)?.disks.size, name).toBe(0);
    expect(await own()).toEqual([]);
    expect((await give('plover')).body.message).toBe('plover has no hosts to give back: take it down first.');
  });

  it('and can be built again, as another cluster, with keys made anew', async () => {
    expect((await p.due())?.kind).toBe('build');
    expect((await p.begin('build')).status).toBe(201);
    const b = await p.done(4);
    expect(b.proof?.filter((l) => !l.good)).toEqual([]);
    expect(await p.serving()).toHaveLength(4);
  });
});
