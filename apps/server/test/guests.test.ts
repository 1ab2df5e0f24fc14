import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { CastPlan } from '@praesidor/core/hosts';
import { stop, undefine } from '@praesidor/protocols/hypervisor';
import { cast, guestOf } from '../src/areas/hosts/hypervisors.ts';
import { type Client, buildOf, eventually, Installation, shipmentIn } from './installation.ts';

/** Guests: cast on hypervisors, started, taken away, found again; and a cluster of them, from images to proof. */
const i = new Installation();
let c: Client;
beforeAll(async () => {
  await i.start({ timeoutSeconds: 6 });
  c = await i.as('warden');
});
afterAll(() => i.stop());

interface WorkAnswer {
  id: number;
  state: string;
  items: { host: string; state: string; text: string; remedy?: string }[];
}
const ended = (id: number) =>
  eventually(async () => {
    const { works } = await c.good<{ works: WorkAnswer[] }>('GET', '/api/hosts/works');
    const w = works.find((x) => x.id === id);
    return w && !['running', 'stopping'].includes(w.state) && w;
  }, `the end of work ${id}`);
const work = async (kind: string, hosts: string[], asked: object = {}) => {
  const b = await c.good<{ work?: { id: number }; refused: { host: string; why: string }[] }>('POST', '/api/hosts/works', {
    kind,
    hosts,
    asked,
  });
  return { ...b, end: b.work ? await ended(b.work.id) : undefined };
};
const wish = {
  site: 'bw',
  mould: 'errand',
  count: 3,
  stem: 'bw-e',
  group: 'errands',
  rules: { strategy: 'spread', tolerate: 1 },
  start: true,
};
const on = (name: string) => i.world.hypervisors.get(name);
const look = async (name: string) =>
  (await c.good<{ seen: { guests: { name: string; state: string }[]; error?: string } }>('POST', `/api/hypervisors/${name}/look`))
    .seen;

describe('casting guests', () => {
  it('shows what it would do before anything is made', async () => {
    const { plan } = await c.good<{ plan: CastPlan }>('POST', '/api/hosts/cast/plan', wish);
    expect(plan.hosts.map((h) => h.guest?.hypervisor).sort()).toEqual(['bw-hv1', 'bw-hv2', 'bw-hv3']);
    // 192 GiB − 16 kept − two staging nodes of 32 − an errand of 8 − this errand of 8
    expect(plan.packing.left.map((l) => l.memoryGiB)).toEqual([96, 96, 96]);
    expect(plan.packing.losses.flatMap((l) => l.stranded)).toEqual([]);
    expect(on('bw-hv1')?.guests.size).toBe(1);
  });
  it('makes volumes and definitions, starts them, and they are found again after a restart', async () => {
    const b = await c.good<{ names: string[]; work: { id: number } }>('POST', '/api/hosts/cast', wish);
    expect(b.names).toEqual(['bw-e1', 'bw-e2', 'bw-e3']);
    expect((await ended(b.work.id)).items.map((x) => x.state)).toEqual(['done', 'done', 'done']);
    const host = (await c.estate()).hosts.find((h) => h.name === 'bw-e1');
    const there = on(host?.guest?.hypervisor ?? '');
    expect(there?.one('bw-e1')).toMatchObject({ state: 'running', vcpu: 2, memoryGiB: 8 });
    expect(there?.volumes.get('fast/bw-e1-0')).toMatchObject({ sizeGB: 40, image: 'node-base-12' });
    await i.restart();
    expect((await look(host?.guest?.hypervisor ?? '')).guests).toContainEqual({
      name: 'bw-e1',
      state: 'running',
      vcpu: 2,
      memoryGiB: 8,
    });
    const seen = (await c.estate()).observed.hypervisors[host?.guest?.hypervisor ?? ''];
    expect(seen?.guests.map((g) => g.name)).toContain('bw-e1');
  });
  it('that cannot be placed is refused whole, with the reason', async () => {
    const a = await c.call('POST', '/api/hosts/cast', {
      ...wish,
      mould: 'staging-node',
      count: 12,
      stem: 'bw-x',
      group: undefined,
    });
    expect([a.status, a.body.message]).toEqual([
      409,
      expect.stringMatching(/Nothing was cast: \d+ of 12 find no place\. bw-x\d+: 32 GiB of memory asked/),
    ]);
    expect((await c.estate()).hosts.some((h) => h.name.startsWith('bw-x'))).toBe(false);
  });
  it('are stopped, taken away with their volumes, and cast again', async () => {
    expect((await work('power', ['bw-e1'], { to: 'cut' })).end?.state).toBe('done');
    expect((await work('remove', ['bw-e1'])).end?.items[0]).toMatchObject({
      state: 'done',
      text: expect.stringMatching(/^gone from bw-hv/),
    });
    const name = (await c.estate()).hosts.find((h) => h.name === 'bw-e1')?.guest?.hypervisor ?? '';
    expect([on(name)?.one('bw-e1'), on(name)?.volumes.has('fast/bw-e1-0')]).toEqual([undefined, false]);
    expect((await work('cast', ['bw-e1'], { start: true })).end?.state).toBe('done');
    expect(on(name)?.one('bw-e1')?.state).toBe('running');
  });
});

describe('a hypervisor that has not enough', () => {
  it.each([
    ['hypervisor-disk', 'pool fast has 0 GB left, 40 GB are asked'],
    ['hypervisor-memory', '0 GiB of memory are left, 8 GiB are asked'],
  ] as const)('%s: the engineer sees what is asked and what is left, and nothing half-made stays', async (fault, says) => {
    const { hosts } = await c.estate();
    const name = hosts.find((h) => h.name === 'bw-e2')?.guest?.hypervisor ?? '';
    await work('power', ['bw-e2'], { to: 'cut' });
    await work('remove', ['bw-e2']);
    i.plant(fault, name);
    const w = await work('cast', ['bw-e2'], { start: true });
    i.lift(fault, name);
    expect(w.end?.items[0]).toMatchObject({
      state: 'failed',
      text: expect.stringContaining(says),
      remedy: expect.stringContaining('Move a guest away'),
    });
    if (fault === 'hypervisor-disk')
      expect([on(name)?.one('bw-e2'), on(name)?.volumes.has('fast/bw-e2-0')]).toEqual([undefined, false]);
    expect((await work('cast', ['bw-e2'], { start: true })).end?.state).toBe('done');
  });
  it('that is silent keeps its last words, and a finding says why', async () => {
    i.plant('hypervisor-silent', 'bw-hv3');
    const seen = await look('bw-hv3');
    i.lift('hypervisor-silent', 'bw-hv3');
    expect(seen.error).toContain('it does not answer');
    expect(seen.guests.length).toBeGreaterThan(0);
    expect((await look('bw-hv3')).error).toBeUndefined();
  });
});

describe('gannet, a cluster of guests', () => {
  it('is built end to end like one of metal; a guest that never boots breaks its own lane, and is gone on with', async () => {
    await eventually(async () => {
      const { bills, registries } = (await c.estate()).observed;
      return bills['1.33.6'] && bills['inbound-router'] && registries['bw-registry'];
    }, 'the bills');
    const { shipment } = await c.good<{ shipment: { label: string } }>('POST', '/api/shipments', {
      target: 'bw-registry',
      bills: ['1.33.6', 'inbound-router'],
    });
    await c.good('POST', `/api/shipments/${shipment.label}/start`);
    await shipmentIn(c, shipment.label, 'landed');
    i.plant('node-never-boots', 'bw-g5');
    await c.good('POST', '/api/builds', { charter: 'gannet' });
    const ended = () =>
      eventually(async () => {
        const now = await buildOf(c, 1, 'gannet');
        return ['done', 'failed'].includes(now.status.state) && now;
      }, 'the end of the build');
    const broken = await ended();
    expect(broken.status.steps['bw-g5/system']).toMatchObject({
      state: 'failed',
      text: expect.stringContaining('bw-g5 runs and never asked for its first-boot data'),
    });
    expect(broken.status.steps['bw-g4/images']?.state).toBe('done');
    i.lift('node-never-boots', 'bw-g5');
    await c.good('POST', '/api/builds/gannet/1/resume');
    const b = await ended();
    expect(
      Object.entries(b.status.steps)
        .filter(([, s]) => s.state === 'failed')
        .map(([id, s]) => `${id}: ${s.text}`),
    ).toEqual([]);
    expect(b.status.state).toBe('done');
    expect(b.proof?.filter((p) => !p.good)).toEqual([]);
    expect(b.status.steps['bw-g1/cast']?.text).toBe('on bw-hv1');
    expect((await c.estate()).hosts.filter((h) => h.held?.charter === 'gannet' && h.state === 'serving')).toHaveLength(6);
    expect(i.world.clusters.list().map((x) => x.name)).toContain('gannet');
  });
  it('goes to the next release: each guest is cast anew, drained; what is not on its system volume stays', async () => {
    const guests = () =>
      [...i.world.hypervisors.values()].flatMap((h) => [...h.guests.values()]).filter((g) => g.domain.name.startsWith('bw-g'));
    /** Where containers are kept lies on the second volume. */
    const second = (name: string) => {
      const g = guests().find((x) => x.domain.name === name);
      return g?.machine.disks.get(g.machine.serials[1] ?? '')?.systems.find((s) => s.files.label === 'containers');
    };
    const names = guests().map((g) => g.domain.name);
    for (const n of names) Object.assign(second(n)?.files ?? {}, { '/volumes/one': n });
    const systems = new Map(guests().map((g) => [g.domain.name, g.machine.installed]));
    await c.good('POST', '/api/edits', {
      why: 'the next one',
      edits: [{ op: 'set', kind: 'Charter', key: 'gannet', path: ['release'], value: '1.34.2' }],
    });
    const { due } = await c.good<{ due: { refused: string[]; steps: { id: string }[]; rows: { what: string; how: string }[] } }>(
      'GET',
      '/api/charters/gannet/change',
    );
    expect(due.refused).toEqual([]);
    expect(due.rows.find((r) => r.what === '6 guests')?.how).toContain('further volumes stay');
    expect(due.steps.filter((s) => s.id.endsWith('/member'))).toHaveLength(3);
    await c.good('POST', '/api/builds', { charter: 'gannet', kind: 'upgrade' });
    const b = await eventually(async () => {
      const now = await buildOf(c, 2, 'gannet');
      return ['done', 'failed'].includes(now.status.state) && now;
    }, 'the end of the upgrade');
    expect(
      Object.entries(b.status.steps)
        .filter(([, s]) => s.state === 'failed')
        .map(([id, s]) => `${id}: ${s.text}`),
    ).toEqual([]);
    expect(b.proof?.filter((p) => !p.good)).toEqual([]);
    expect(b.proof?.find((p) => p.what === 'versions of the nodes')).toMatchObject({ good: true, found: '1.34' });
    for (const n of names) expect(second(n)?.files['/volumes/one'], n).toBe(n);
    for (const g of guests()) expect(g.machine.installed).not.toBe(systems.get(g.domain.name));
  });
  it('cast anew after a kill between: the system is another one, and what is beside it stays whatever fails', async () => {
    const g = await guestOf(i.running.ctx, 'bw-g6');
    const hypervisor = on(g.on.name);
    const volume = (n: number) => [...(hypervisor?.volumes.values() ?? [])].find((v) => v.name === `bw-g6-${n}`);
    const [system, beside] = [volume(0), volume(1)];
    await stop(g.driver, 'bw-g6', true);
    await undefine(g.driver, 'bw-g6');
    i.plant('hypervisor-disk', g.on.name);
    await expect(cast(g, undefined, async () => undefined, true)).rejects.toThrow('GB are asked');
    i.lift('hypervisor-disk', g.on.name);
    expect([volume(0), volume(1) === beside]).toEqual([undefined, true]);
    await cast(g, undefined, async () => undefined, true);
    expect([volume(0) === system, volume(0)?.image, volume(1) === beside]).toEqual([false, 'node-base-12', true]);
  });
  it('a guest of it is given back when it is drained, wiped with proof, and free again', async () => {
    const act = (name: string) =>
      c
        .good<{ outcomes: { host: string; state?: string; refused?: string }[] }>('POST', '/api/hosts/acts', {
          act: name,
          hosts: ['bw-g6'],
        })
        .then((r) => r.outcomes[0]);
    expect(await act('give-back')).toMatchObject({ refused: 'it serves and is not drained: what runs on it would be lost' });
    expect((await work('remove', ['bw-g6'])).refused[0]?.why).toBe('it serves and is not drained');
    expect(await act('drain')).toMatchObject({ state: 'serving' });
    expect(await act('give-back')).toMatchObject({ state: 'resting' });
    expect((await work('wipe', ['bw-g6'])).end?.items[0]).toMatchObject({ state: 'done', text: '2 drives erased' });
    const host = (await c.estate()).hosts.find((h) => h.name === 'bw-g6');
    expect(host).toMatchObject({ state: 'fit', wiped: { drives: [expect.stringContaining('taken away'), expect.anything()] } });
    expect(on('bw-hv3')?.one('bw-g6')).toBeUndefined();
  });
});
