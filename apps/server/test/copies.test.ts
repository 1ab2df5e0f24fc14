import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { createHash } from 'node:crypto';
import { join } from 'node:path';
import type { Losses, SeenVolume, SeenVolumes, StandingProof } from '@praesidor/contract';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { filesOf, writeMounted } from '../../../packages/standins/src/folders.ts';
import { backUp, backupEnded, backupsOf, declareVolume, deployVolume } from './volume-of-plover.ts';
import { Plover } from './plover.ts';
import { builtOrBroken, type Client, eventually, Installation, prepare } from './installation.ts';

/** plover keeps a volume in two copies on three workers: hosts are switched off and on, and what lies where is looked at in bytes. */
let i: Installation;
let c: Client;
const driver = 'volumes.praesidor';
const handle = 'default/ais-store-data';
const mount = `/var/lib/kubelet/plugins/kubernetes.io/csi/${driver}/${createHash('sha256').update(handle).digest('hex')}/globalmount`;

const machine = (name: string) => {
  const m = i.world.everyMachine().find((x) => x.hardware.name === name);
  if (!m) throw new Error(`no machine ${name}`);
  return m;
};
/** What a host has of the volume, by file; undefined: no copy of it. */
const has = (host: string): Record<string, string> | undefined => {
  const f = join(filesOf(machine(host)), '/var/lib/containerd/volumes/copies/pvc-default-ais-store-data');
  return existsSync(f) ? Object.fromEntries(readdirSync(f).map((n) => [n, readFileSync(join(f, n), 'utf8')])) : undefined;
};
const seen = async (): Promise<SeenVolume> => {
  const { volumes } = await c.good<SeenVolumes>('GET', '/api/charters/plover/volumes');
  return volumes.find((v) => v.planned === 'ais-store/data') as SeenVolume;
};
const told = async () => (await seen()).copies?.map((x) => `${x.host} ${x.state}`);
const hostsOf = async () => ((await seen()).copies ?? []).map((x) => x.host);
/** The host on which the pod runs, when it does. */
const runsOn = () => eventually(async () => (await seen()).users.find((u) => u.ready)?.host, 'the pod runs');
const write = async (name: string, text: string) => writeMounted(machine(await runsOn()), mount, name, Buffer.from(text));
const whole = () => eventually(async () => (await seen()).copies?.every((x) => x.state === 'current'), 'both copies are current');
/** The hosts with copies: one that does not run the pod is the second. */
const pair = async (): Promise<[string, string]> => {
  const on = await runsOn();
  const [a = '', b = ''] = await hostsOf();
  return b === on ? [b, a] : [a, b];
};
const others = (of: readonly string[]) =>
  i.world
    .everyMachine()
    .filter(
      (m) =>
        m.installed && m.hardware.name.startsWith('lr-') && workers.includes(m.hardware.name) && !of.includes(m.hardware.name),
    );
let workers: string[] = [];

beforeAll(async () => {
  i = await new Installation().start({ timeoutSeconds: 20, needs: ['volume-controller'] });
  c = await i.as('warden');
  await prepare(c);
  await declareVolume(c, 'plover', {
    // 10 GB at 0.02 Gbit/s: 4,000 s.
    storage: [{ name: 'kept', kind: 'copies', standard: true, copies: 2, apart: 'host', rebuild: { after: 3000, gbit: 0.02 } }],
    workloads: [{ name: 'ais-store', volumes: [{ name: 'data', sizeGB: 10 }] }],
  });
  await c.good('POST', '/api/builds', { charter: 'plover' });
  expect((await builtOrBroken(c)).status.state).toBe('done');
  await deployVolume(i, 'plover', 10);
  workers = (await c.estate()).hosts.filter((h) => h.held?.charter === 'plover' && h.held.role === 'worker').map((h) => h.name);
});
afterEach(() => {
  for (const f of i.world.faults.list()) i.world.faults.lift(f);
});
afterAll(() => i.stop());

describe('a volume with copies', () => {
  it('lies on as many hosts as its class says, and what was written lies on both', async () => {
    await write('tides', 'high water');
    const v = await seen();
    expect([v.wanted, v.class, v.lies]).toEqual([2, 'kept', []]);
    expect(await told()).toEqual((await hostsOf()).map((h) => `${h} current`));
    expect(new Set(await hostsOf()).size).toBe(2);
    for (const h of await hostsOf()) expect(has(h)).toEqual({ tides: 'high water' });
  });
  it('of a workload that nobody declared is told with what a charter would say of it', async () => {
    const undeclared = async () =>
      (await c.good<SeenVolumes>('GET', '/api/charters/plover/volumes')).undeclared.map((w) => w.name);
    expect(await undeclared()).toEqual([]);
    const p = new Plover(i, c);
    const workloads = (await c.estate()).charters.find((x) => x.name === 'plover')?.workloads;
    await p.set('nothing is declared', [['workloads'], []]);
    const { undeclared: found, volumes } = await c.good<SeenVolumes>('GET', '/api/charters/plover/volumes');
    expect(found).toEqual([
      expect.objectContaining({
        name: 'ais-store',
        kind: 'Deployment',
        replicas: 1,
        volumes: [{ name: 'data', class: 'kept', sizeGB: 10, access: 'one-node' }],
      }),
    ]);
    expect(volumes.map((v) => v.planned)).toEqual([undefined]);
    await p.set('as it was', [['workloads'], workloads]);
    expect(await undeclared()).toEqual([]);
  });
  it('is backed up from where it is mounted; what is given back lies on both copies', async () => {
    const run = await backUp(c);
    expect(run.status.state).toBe('done');
    const [{ id = 0 } = {}] = (await backupsOf(c)).backups;
    await write('tides', 'spoilt');
    for (const h of await hostsOf()) expect(has(h)).toEqual({ tides: 'spoilt' });
    const begun = await c.good<{ id: number }>('POST', `/api/charters/plover/backups/${id}/restore`, {
      volume: 'ais-store/data',
      replace: 'ais-store/data',
    });
    expect((await backupEnded(c, begun.id)).status.state).toBe('done');
    for (const h of await hostsOf()) expect(has(h)).toEqual({ tides: 'high water' });
  });
  it('misses a write while a host is off, and takes everything in when it is back: told from whom, and until when', async () => {
    const [other, host] = await pair();
    const { speed } = i.world.clock;
    // Slowly, so that no third host has its copy before it is back.
    i.world.clock.setSpeed(200);
    machine(host).powerOff();
    await eventually(async () => (await told())?.includes(`${host} silent`), 'it is silent');
    await write('ebb', 'low water');
    expect(has(host)).toEqual({ tides: 'high water' });
    machine(host).powerOn();
    i.world.clock.setSpeed(speed);
    const filling = await eventually(
      async () => (await seen()).copies?.find((x) => x.host === host && x.state === 'filling'),
      'it takes in what it lacks',
    );
    expect(filling).toMatchObject({ from: other, of: 10e9 });
    // 10 GB at 0.02 Gbit/s: 4,000 s.
    expect(filling.left).toBeLessThanOrEqual(4000_000);
    // Two looks, which lie apart by what a slow machine needs between them.
    expect(Math.abs(((filling.filled ?? 0) / 10e9) * 4000_000 + (filling.left ?? 0) - 4000_000)).toBeLessThan(300_000);
    await whole();
    expect(has(host)).toEqual({ tides: 'high water', ebb: 'low water' });
  });
  it('is made anew on a third host; a host that is killed meanwhile begins again, and what was given up goes', async () => {
    const [other, host] = await pair();
    machine(host).powerOff();
    // Lost after the grace of the charter, and 3,000 s more.
    const third = await eventually(
      async () => (await seen()).copies?.find((x) => x.state === 'filling')?.host,
      'a third takes it in',
    );
    expect([other, host]).not.toContain(third);
    machine(third).powerOff();
    await eventually(async () => (await told())?.includes(`${third} silent`), 'it is silent');
    expect(has(third)).not.toEqual(has(other));
    machine(third).powerOn();
    await whole();
    expect(new Set(await hostsOf())).toEqual(new Set([other, third]));
    expect(has(third)).toEqual({ tides: 'high water', ebb: 'low water' });
    expect(has(host)).toBeDefined();
    machine(host).powerOn();
    await eventually(async () => has(host) === undefined, 'the one that was given up goes');
  });
  it('of which both are lost: nothing is written until the one is back that has all, and nothing is lost that was acknowledged', async () => {
    const two = await hostsOf();
    const rest = others(two);
    for (const m of rest) m.powerOff();
    await eventually(
      async () => (await seen()).users.some((u) => u.ready && two.includes(u.host ?? '')),
      'its pod is with a copy',
    );
    const [a, b] = await pair();
    machine(b).powerOff();
    await eventually(async () => (await told())?.includes(`${b} silent`), 'one is silent');
    await write('last', 'acknowledged');
    machine(a).powerOff();
    await eventually(async () => (await told())?.every((t) => t.endsWith('silent')), 'both are silent');
    expect(() => writeMounted(machine(a), mount, 'never', Buffer.from('x'))).toThrow('Input/output error');
    machine(b).powerOn();
    await eventually(async () => (await told())?.includes(`${b} behind`), 'one is back, and lacks the last write');
    // The pod is made there when it may be: it cannot start.
    const stuck = await eventually(async () => {
      const v = await seen();
      return v.why && v.users.some((u) => u.host === b) ? v : undefined;
    }, 'its pod waits');
    expect(stuck.why).toContain(`${a} does not answer`);
    expect(has(b)?.last).toBeUndefined();
    machine(a).powerOn();
    for (const m of rest) m.powerOn();
    await whole();
    expect([has(a), has(b)]).toEqual([has(a), has(a)]);
    expect(has(b)).toEqual({ tides: 'high water', ebb: 'low water', last: 'acknowledged' });
  });
  it('is rehearsed where its copies lie; a loss that is tried waits until all are whole again, within what was rehearsed', async () => {
    const [, host] = await pair();
    const losses = () => c.good<Losses>('GET', '/api/charters/plover/losses');
    const ended = async () => {
      const { id } = await c.good<{ id: number }>('POST', '/api/charters/plover/losses', { case: host, off: host });
      return eventually(async () => {
        const { last } = await losses();
        return last?.id === id && ['done', 'failed', 'stopped'].includes(last.status.state) && last;
      }, 'the end of the loss');
    };
    // Something is written while it is off.
    const { speed } = i.world.clock;
    // Slowly, so that it is written before the host is back.
    i.world.clock.setSpeed(500);
    const run = ended();
    await eventually(async () => (await told())?.includes(`${host} silent`), 'it is off');
    await write('flood', 'a little');
    i.world.clock.setSpeed(speed);
    expect((await run).status.state).toBe('done');
    const line = (await c.estate()).observed.losses.plover?.cases[host]?.lines.find((l) => l.what === 'copies');
    expect(line).toMatchObject({ name: '1 volume', text: 'all copies whole again', agrees: true });
    // 10 GB at 0.02 Gbit/s: it takes 4,000 s, after it had power.
    expect((line?.came?.to ?? 0) - (line?.is?.from ?? 0)).toBeGreaterThan(4000_000);
    // Where it was away for too long, another host took it in.
    for (const h of await hostsOf())
      expect(has(h)).toEqual({ tides: 'high water', ebb: 'low water', last: 'acknowledged', flood: 'a little' });
  });
  it('that lacks a copy keeps a loss from being tried', async () => {
    const [, host] = await pair();
    // Slowly: one that is away for 3,000 s is replaced, which nobody is to wait for by accident.
    i.world.clock.setSpeed(60);
    machine(host).powerOff();
    await eventually(async () => (await told())?.includes(`${host} silent`), 'it is off');
    await write('flood', 'much');
    // What takes 4,000 s is seen while it goes on, also by who asks slowly.
    i.world.clock.setSpeed(500);
    machine(host).powerOn();
    await eventually(async () => (await told())?.includes(`${host} filling`), 'it takes in what it lacks');
    const { id } = await c.good<{ id: number }>('POST', '/api/charters/plover/losses', { case: host, off: host });
    const failed = await eventually(async () => {
      const { last } = await c.good<Losses>('GET', '/api/charters/plover/losses');
      return last?.id === id && last.status.state === 'failed' && last;
    }, 'it is refused');
    expect(failed.status.steps[`whole/${host}`]?.text).toBe(
      'default/ais-store-data has not all copies: a further loss is another case.',
    );
    i.world.clock.setSpeed(2000);
    await whole();
    await c.good('POST', '/api/charters/plover/losses/stop').catch(() => undefined);
  });
  it('goes elsewhere before a host leaves, and the host waits for it', async () => {
    const p = new Plover(i, c);
    const [other, leaves] = await pair();
    const before = (await c.estate()).charters.find((x) => x.name === 'plover')?.except ?? [];
    await p.set('one fewer', [['workers', 'count'], workers.length - 1], [['except'], [...before, leaves]]);
    expect((await p.due())?.leaves).toEqual([leaves]);
    await p.begin('remove-hosts');
    const b = await p.done(2);
    const log = await c.good<{ lines: { line: string }[] }>(
      'GET',
      `/api/builds/plover/2/log?step=${encodeURIComponent(`${leaves}/drain`)}`,
    );
    expect(log.lines.map((l) => l.line)).toContainEqual(
      expect.stringContaining('default/ais-store-data has 1 of 2 copies elsewhere'),
    );
    expect(b.proof?.find((x) => x.what === 'volumes with all their copies')).toMatchObject({ good: true, found: '1 of 1' });
    const two = await hostsOf();
    expect([two.includes(leaves), two.includes(other)]).toEqual([false, true]);
    for (const h of two) expect(has(h)).toEqual({ tides: 'high water', ebb: 'low water', last: 'acknowledged', flood: 'much' });
    expect(has(leaves)).toBeUndefined();
  });
  it('that has not all its copies is drift: told with which, and since when', async () => {
    const [, host] = await pair();
    const prove = () => c.good('POST', '/api/charters/plover/proof');
    const line = async () =>
      (await c.good<StandingProof>('GET', '/api/charters/plover/proof')).lines.find(
        (l) => l.what === 'volumes with all their copies',
      );
    await prove();
    expect(await line()).toMatchObject({ good: true, found: '1 of 1' });
    machine(host).powerOff();
    await eventually(async () => (await told())?.includes(`${host} silent`), 'it is silent');
    await prove();
    expect(await line()).toMatchObject({
      good: false,
      planned: '1 of 1',
      found: '0 of 1',
      evidence: [expect.stringContaining(`${host} does not answer for`)],
      mend: { label: 'Open its volumes', go: '/clusters/plover?tab=volumes' },
    });
    machine(host).powerOn();
    await whole();
  });
});
