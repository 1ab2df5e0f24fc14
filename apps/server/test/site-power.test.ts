import type { SitePower } from '@praesidor/contract';
import type { Plan } from '@praesidor/core/charter';
import { clusterSeen } from '@praesidor/protocols/kube';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { kitOf } from '../src/areas/builds/kit-of-build.ts';
import { kubeOf } from '../src/areas/builds/kube-of.ts';
import { standing } from '../src/areas/builds/proofs.ts';
import { estateNow } from '../src/estate/now.ts';
import { builtOrBroken, type Client, eventually, Installation, prepare } from './installation.ts';

/** Lantern Rock with plover built in it: all of its hosts go off and on again, in order. */
let i: Installation;
let c: Client;
const now = async () => (await c.good<SitePower>('GET', '/api/sites/lr/power')).last;
const begin = (to: 'start' | 'stop', site = 'lr', who = c) =>
  who.call<{ id: number }>('POST', '/api/sites/lr/power', { to, site });
const ended = (id: number) =>
  eventually(async () => {
    const last = await now();
    return last?.id === id && ['done', 'failed', 'stopped'].includes(last.status.state) && last;
  }, 'its end');
const carried = async (to: 'start' | 'stop') => {
  const a = await begin(to);
  expect(a).toMatchObject({ status: 201 });
  return ended(a.body.id);
};
const nodes = async () => {
  const { ctx } = i.running;
  const estate = await estateNow(ctx.db);
  const [b] = await standing(ctx, estate, 'plover');
  if (!b) throw new Error('plover does not stand');
  return (await clusterSeen(kubeOf(ctx, b.plan as Plan, await kitOf(ctx, b, estate)))).nodes;
};
const hosts = ['lr-01', 'lr-02', 'lr-03', 'lr-04', 'lr-05', 'lr-06'];
const power = () => [...new Set(members.map((h) => i.world.machines.get(h)?.power))];
let members: string[] = [];

beforeAll(async () => {
  i = await new Installation().start({ timeoutSeconds: 20 });
  c = await i.as('warden');
  await prepare(c);
  await c.good('POST', '/api/builds', { charter: 'plover' });
  expect((await builtOrBroken(c)).status.state).toBe('done');
  members = (await c.estate()).hosts.flatMap((h) => (h.held?.charter === 'plover' ? [h.name] : []));
  expect(members.length).toBe(hosts.length);
});
afterEach(() => {
  for (const f of i.world.faults.list()) i.world.faults.lift(f);
});
afterAll(() => i.stop());

describe('a site', () => {
  it('is shut down in turns: what runs there first, the control plane after it', async () => {
    const run = await carried('stop');
    expect([run.status.state, power()]).toEqual(['done', ['Off']]);
    const at = (host: string, when: 'started' | 'ended') => Date.parse(run.status.steps[`off/host ${host}`]?.[when] ?? '');
    const role = new Map((await c.estate()).hosts.map((h) => [h.name, h.held?.role]));
    const workers = members.filter((h) => role.get(h) === 'worker');
    const control = members.filter((h) => role.get(h) === 'control-plane');
    expect([workers.length, control.length]).toEqual([3, 3]);
    const last = Math.max(...workers.map((h) => at(h, 'ended')));
    for (const h of control) expect(at(h, 'started')).toBeGreaterThanOrEqual(last);
    await expect(nodes()).rejects.toThrow();
  });
  it('is started after all power was lost: hosts, then what answers on them, until its nodes are ready', async () => {
    const run = await carried('start');
    expect([run.status.state, power()]).toEqual(['done', ['On']]);
    expect(run.status.steps['answers/nodes plover']?.text).toBe('6 nodes of plover ready');
    expect((await nodes()).every((n) => n.ready)).toBe(true);
    const began = (id: string) => Date.parse(run.status.steps[id]?.started ?? '');
    const up = (id: string) => Date.parse(run.status.steps[id]?.ended ?? '');
    // The API is asked when what it stands on is on: a majority of its members, names and the time.
    for (const id of run.steps.find((s) => s.id === 'answers/control-plane plover')?.after ?? [])
      expect(began('answers/control-plane plover')).toBeGreaterThanOrEqual(up(id));
    expect(
      Object.keys(run.status.steps)
        .filter((id) => id.startsWith('answers/'))
        .sort(),
    ).toEqual(expect.arrayContaining(['answers/control-plane plover', 'answers/nodes plover', 'answers/registry lr-registry']));
  });
  it('does nothing to what is on already, and is done again as often as one likes', async () => {
    const boots = members.map((h) => i.world.machines.get(h)?.bootId);
    const run = await carried('start');
    expect([run.status.state, members.map((h) => i.world.machines.get(h)?.bootId)]).toEqual(['done', boots]);
  });
  it('waits for no cluster that nobody here can ask, and switches no host that nothing runs on', async () => {
    const free = (await c.estate()).hosts.filter((h) => h.site === 'lr' && h.state !== 'serving').map((h) => h.name);
    expect(free.length).toBeGreaterThan(0);
    const asked = async () => {
      const run = await carried('start');
      expect(run.status.state).toBe('done');
      expect(run.steps.filter((s) => free.includes(s.host ?? ''))).toEqual([]);
      return run.steps.map((s) => s.id).filter((id) => id.endsWith(' plover'));
    };
    expect(await asked()).toEqual(['answers/control-plane plover', 'answers/nodes plover']);
    // As if its last change had failed: nobody knows what stands there.
    await i.query("update run set state = 'failed' where kind = 'change'");
    expect(await asked()).toEqual([]);
    await i.query("update run set state = 'done' where kind = 'change'");
  });
  it('waits for a host that does not go off, and keeps what that stands on; it is gone on with', async () => {
    const role = new Map((await c.estate()).hosts.map((h) => [h.name, h.held?.role]));
    const stuck = members.find((h) => role.get(h) === 'worker') ?? '';
    i.plant('node-hangs', stuck);
    const a = await begin('stop');
    const others = members.filter((h) => role.get(h) === 'worker' && h !== stuck);
    await eventually(async () => others.every((h) => i.world.machines.get(h)?.power === 'Off'), 'the others are off');
    await eventually(async () => (await now())?.status.steps[`off/host ${stuck}`]?.state === 'running', 'it is waited for');
    // Nobody else does anything at the site meanwhile.
    expect((await begin('start')).body).toMatchObject({ message: expect.stringMatching(/^Stop of Lantern Rock is under way/) });
    expect([
      i.world.machines.get(stuck)?.power,
      members.filter((h) => role.get(h) === 'control-plane').map((h) => i.world.machines.get(h)?.power),
    ]).toEqual(['On', ['On', 'On', 'On']]);
    await c.good('POST', '/api/sites/lr/power/stop');
    i.lift('node-hangs', stuck);
    await c.good('POST', '/api/sites/lr/power/resume');
    expect((await ended(a.body.id)).status.state).toBe('done');
    expect(power()).toEqual(['Off']);
    expect((await carried('start')).status.state).toBe('done');
  });
  it('goes on where the server is ended in the middle of it', async () => {
    const a = await begin('stop');
    await eventually(async () => members.some((h) => i.world.machines.get(h)?.power === 'Off'), 'one is off');
    await i.restart();
    c = await i.as('warden');
    expect([(await ended(a.body.id)).status.state, power()]).toEqual(['done', ['Off']]);
    expect((await carried('start')).status.state).toBe('done');
  });
  it('is started and stopped by who may, where its name is said, and where something is switched from here', async () => {
    expect((await begin('stop', 'lr', await i.as('builder'))).status).toBe(403);
    expect((await begin('stop', 'bw')).body).toMatchObject({ message: 'All hosts of lr are meant.' });
    expect((await c.call('POST', '/api/sites/nowhere/power', { to: 'stop', site: 'nowhere' })).status).toBe(404);
    expect((await c.call('POST', '/api/sites/tst/power', { to: 'stop', site: 'tst' })).body).toMatchObject({
      message: 'No host of MV Turnstone is switched from here.',
    });
    expect((await c.call('POST', '/api/sites/lr/power/resume')).status).toBe(409);
  });
});
