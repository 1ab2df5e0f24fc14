import type { Losses } from '@praesidor/contract';
import { type Plan, resolve } from '@praesidor/core/charter';
import type { Charter } from '@praesidor/core/model';
import { check } from '@praesidor/core/checks';
import { apply, clusterSeen, clusterTime, type KubeObject, publishedServices } from '@praesidor/protocols/kube';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { kitOf } from '../src/areas/builds/kit-of-build.ts';
import { kubeOf } from '../src/areas/builds/kube-of.ts';
import { standing } from '../src/areas/builds/proofs.ts';
import { estateNow } from '../src/estate/now.ts';
import { builtOrBroken, type Client, eventually, Installation, prepare } from './installation.ts';

/** plover, of which a host is really switched off: what its API says then, beside what was rehearsed. */
let i: Installation;
let c: Client;
const stands = async () => {
  const { ctx } = i.running;
  const estate = await estateNow(ctx.db);
  const [b] = await standing(ctx, estate, 'plover');
  if (!b) throw new Error('plover does not stand');
  return { plan: b.plan as Plan, at: kubeOf(ctx, b.plan as Plan, await kitOf(ctx, b, estate)) };
};
const pods = async () => (await clusterSeen((await stands()).at)).pods.filter((p) => p.ready);
const deploy = async (name: string, replicas: number, kind = 'Deployment') => {
  const { at, plan } = await stands();
  await apply(at, {
    apiVersion: 'apps/v1',
    kind,
    metadata: { name, namespace: 'default' },
    spec: {
      replicas,
      selector: { matchLabels: { app: name } },
      template: {
        metadata: { labels: { app: name } },
        spec: { containers: [{ name, image: plan.release?.components.find((x) => x.name === 'pause')?.image }] },
      },
    },
  } as KubeObject);
  await eventually(async () => (await pods()).filter((p) => p.work === name).length === replicas, `${name} runs`);
};
const publish = async (name: string) => {
  const { at } = await stands();
  await apply(at, {
    apiVersion: 'v1',
    kind: 'Service',
    metadata: { name, namespace: 'default' },
    spec: { type: 'LoadBalancer', selector: { app: name }, ports: [{ port: 443, protocol: 'TCP' }] },
  } as KubeObject);
};
const now = () => c.good<Losses>('GET', '/api/charters/plover/losses');
const begin = (host: string, off = host, who = c) =>
  who.call<{ id: number }>('POST', '/api/charters/plover/losses', { case: host, off });
const ended = (id: number) =>
  eventually(async () => {
    const { last } = await now();
    return last?.id === id && ['done', 'failed', 'stopped'].includes(last.status.state) && last;
  }, 'the end of the loss');
const tried = async (host: string) => (await c.estate()).observed.losses.plover?.cases[host];
/** Who answers for the address of a service. */
const leadOf = async (service: string) =>
  (await publishedServices((await stands()).at)).find((s) => s.name === service)?.node?.name ?? '';
/** A host on which a pod of the workload runs. */
const hostOf = async (work: string) => (await pods()).find((p) => p.work === work)?.host ?? '';

const lose = async (host: string) => ended((await begin(host)).body.id);

beforeAll(async () => {
  i = await new Installation().start({ timeoutSeconds: 20 });
  c = await i.as('warden');
  await prepare(c);
  const { charters } = await c.estate();
  const workloads = charters.find((x) => x.name === 'plover')?.workloads ?? [];
  await c.good('POST', '/api/edits', {
    why: 'a journal',
    edits: [
      {
        op: 'set',
        kind: 'Charter',
        key: 'plover',
        path: ['workloads'],
        value: [...workloads, { name: 'journal', kind: 'StatefulSet', ready: 5 }],
      },
    ],
  });
  await c.good('POST', '/api/builds', { charter: 'plover' });
  expect((await builtOrBroken(c)).status.state).toBe('done');
  await deploy('radar-archive', 1);
  await deploy('berth-planner', 2);
  await deploy('journal', 1, 'StatefulSet');
  await publish('berth-planner');
  // Slow enough that what comes after what can be told apart.
  i.world.clock.setSpeed(80);
});
afterEach(() => {
  for (const f of i.world.faults.list()) i.world.faults.lift(f);
});
afterAll(() => i.stop());

describe('a loss that is tried', () => {
  it('comes as it was rehearsed: when the host counts as lost, when what ran on it runs again, and the host is on again', async () => {
    const host = await hostOf('radar-archive');
    const a = await begin(host);
    expect(a.status).toBe(201);
    await eventually(async () => i.world.machines.get(host)?.power === 'Off', 'it is off');
    // Nothing else is changed meanwhile.
    expect((await c.call('POST', '/api/builds', { charter: 'plover', kind: 'renew' })).status).toBe(409);
    expect((await begin(host)).status).toBe(409);
    const run = await ended(a.body.id);
    expect([run.status.state, Object.values(run.status.steps).map((s) => s.text)]).toEqual(['done', expect.anything()]);
    const { lines, by, back, without } = (await tried(host)) ?? { lines: [] };
    const line = (what: string, name: string) => lines.find((l) => l.what === what && l.name === name);
    // 50 s is when a host counts as lost; up to 10 before, where it was about to renew its lease; 5 until it is looked at.
    expect(line('counted', host)).toMatchObject({ is: { from: 40_000, to: 55_000 }, agrees: true });
    // 300 s more, and 25 until it is ready; all of that at the most.
    expect(line('work', 'radar-archive')).toMatchObject({ is: { from: 340_000, to: 380_000 }, agrees: true });
    expect(line('work', 'radar-archive')?.came?.to).toBeGreaterThan(340_000);
    expect([lines.filter((l) => !l.agrees), without?.filter((w) => w.startsWith('plotter'))]).toEqual([
      [],
      ['plotter: the cluster has no pod of it'],
    ]);
    expect([by, i.world.machines.get(host)?.power, (back ?? 0) > 0]).toEqual(['warden', 'On', true]);
    expect((await pods()).filter((p) => p.work === 'radar-archive' && p.host !== host)).toHaveLength(1);
  });
  it('comes with who answers for an address: that is away until another does, and others go on', async () => {
    const host = await leadOf('berth-planner');
    const run = await lose(host);
    expect(run.status.state).toBe('done');
    const lines = (await tried(host))?.lines ?? [];
    const address = lines.find((l) => l.what === 'address' && l.name === 'berth-planner');
    // Fifteen seconds of a lease, as far as can be told: between one look and the next some pass there.
    expect([address?.agrees, (address?.came?.to ?? 0) >= 15_000]).toEqual([true, true]);
    expect(await leadOf('berth-planner')).not.toBe(host);
  });
  it('leaves what nobody can tell the end of where it is: the pod of a StatefulSet, until its host is back', async () => {
    const host = await hostOf('journal');
    const run = await lose(host);
    expect(run.status.state).toBe('done');
    const line = (await tried(host))?.lines.find((l) => l.name === 'journal');
    expect([line?.is, line?.came, line?.agrees, line?.text]).toEqual([
      undefined,
      undefined,
      true,
      `its pod counts as running on ${host} until that is back, or its pod is removed by hand`,
    ]);
    await eventually(async () => (await hostOf('journal')) === host, 'it runs there again');
  });
  it('comes with the API: away until another member has its address', async () => {
    const host = (await stands()).plan.nodes.find((n) => n.role === 'control-plane')?.host ?? '';
    const run = await lose(host);
    const lines = (await tried(host))?.lines ?? [];
    expect([run.status.state, lines.filter((l) => !l.agrees)]).toEqual(['done', []]);
    expect(lines.map((l) => `${l.what} ${l.name}`)).toContain('address API');
  });
  it('leaves nobody at the address of the API until the next member has missed three advertisements (RFC 5798)', async () => {
    // 3 s and the skew of a priority of 100, (256 − 100) / 256 s: 3.6 s, a tenth of that by our clock.
    i.world.clock.setSpeed(10);
    const { at } = await stands();
    const leads = (await c.estate()).hosts.find((h) => h.held?.charter === 'plover' && h.held.role === 'control-plane');
    const machine = i.world.machines.get(leads?.name ?? '');
    const began = Date.now();
    machine?.powerOff();
    let silent = 0;
    await eventually(async () => {
      const answers = await clusterTime(at).then(
        () => true,
        () => false,
      );
      if (!answers) silent++;
      return answers;
    }, 'another member has the address');
    expect([silent > 0, Date.now() - began >= 360]).toEqual([true, true]);
    i.world.clock.setSpeed(2000);
    machine?.powerOn();
    // Its node was not missed for long enough to count as lost.
    const there = () => i.world.clusters.list().find((x) => x.name === 'plover')?.members ?? [];
    await eventually(async () => there().includes(leads?.name ?? ''), 'it is there again');
    await eventually(async () => (await clusterSeen(at)).nodes.every((n) => n.ready), 'all are ready');
    i.world.clock.setSpeed(80);
  });
  it('may be of two hosts at one moment: what ran on both, and each counts as lost', async () => {
    const first = await hostOf('radar-archive');
    const second = (await c.estate()).hosts.find(
      (h) => h.held?.charter === 'plover' && h.held.role === 'worker' && h.name !== first,
    )?.name as string;
    const room = (await c.estate()).hosts.map((h) => h.name);
    const [a, b] = [first, second].sort((x, y) => room.indexOf(x) - room.indexOf(y));
    const title = `${a} and ${b}`;
    expect((await begin(title, a ?? '')).status).toBe(409);
    const { status, body } = await begin(title);
    expect(status).toBe(201);
    await eventually(async () => [a, b].every((h) => i.world.machines.get(h ?? '')?.power === 'Off'), 'both are off at one time');
    const run = await ended(body.id);
    const lines = (await tried(title))?.lines ?? [];
    expect([run.status.state, lines.filter((l) => !l.agrees)]).toEqual(['done', []]);
    expect(lines.filter((l) => l.what === 'counted').map((l) => l.name)).toEqual([a, b]);
    expect(lines.find((l) => l.name === 'radar-archive')?.came?.to).toBeGreaterThan(340_000);
    expect(run.status.steps[`return/${title}`]?.text).toMatch(new RegExp(`^${a}, ${b} are ready again, after `));
    expect([a, b].map((h) => i.world.machines.get(h ?? '')?.power)).toEqual(['On', 'On']);
  });
  it('is refused where the rehearsal knows no such loss of hosts', async () => {
    for (const name of ['DNS', 'nobody', 'rack nowhere']) expect(await begin(name)).toMatchObject({ status: 404 });
    // Two members of three: nothing could be seen.
    const members = (await c.estate()).hosts
      .filter((h) => h.held?.charter === 'plover' && h.held.role === 'control-plane')
      .map((h) => h.name);
    expect(await begin(`${members[0]} and ${members[1]}`)).toMatchObject({ status: 409 });
    expect((await begin('everything')).status).toBe(409);
  });
  it('is a finding where it went otherwise: the charter says what the cluster has not got yet', async () => {
    const set = (value: unknown) =>
      c.good('POST', '/api/edits', {
        why: 'sooner',
        edits: [{ op: 'set', kind: 'Charter', key: 'plover', path: ['timers'], value }],
      });
    await set({ tolerate: 30 });
    const host = await hostOf('radar-archive');
    const run = await lose(host);
    expect(run.status.steps[`lose/${host}`]?.text).toMatch(/otherwise than rehearsed: radar-archive/);
    const found = check(await c.estate()).findings.filter((f) => f.code === 'CHT-051');
    // 50 + 30 + 25 s, and 5 until it is looked at; the cluster has 300 s, not 30.
    expect(found.map((f) => f.text)).toEqual([
      expect.stringMatching(
        /radar-archive: rehearsed 1 min 10 s to 1 min 50 s, measured (5 min 5\d s|6 min( \d+ s)?) to 6 min( \d+ s)? after the loss/,
      ),
    ]);
    await set(undefined);
    await lose(host === (await hostOf('radar-archive')) ? host : await hostOf('radar-archive'));
  });
  it('goes on where the server is ended in the middle of it, with what was seen before', async () => {
    const host = await hostOf('radar-archive');
    const { body } = await begin(host);
    await eventually(async () => i.world.machines.get(host)?.power === 'Off', 'it is off');
    await eventually(async () => (await now()).last?.status.steps[`lose/${host}`]?.notes?.to, 'it is seen to be off');
    await i.restart();
    c = await i.as('warden');
    expect((await ended(body.id)).status.state).toBe('done');
    expect([(await tried(host))?.lines.filter((l) => !l.agrees), i.world.machines.get(host)?.power]).toEqual([[], 'On']);
  });
  it('is begun by who may, where the name is said, of a host that serves there, and not where nothing could be seen', async () => {
    const host = await hostOf('radar-archive');
    expect((await begin(host, host, await i.as('builder'))).status).toBe(403);
    expect((await begin(host, 'lr')).body).toMatchObject({ message: `What runs on ${host} is away.` });
    expect((await begin('bw-02')).status).toBe(404);
    expect((await c.call('POST', '/api/charters/tern/losses', { case: 'bw-02', off: 'bw-02' })).body).toMatchObject({
      message: 'Nobody switches bw-02 off and on from here: it has no controller.',
    });
    const both = await Promise.all([begin(host), begin(host)]);
    expect(both.map((b) => b.status).sort()).toEqual([201, 409]);
    expect((await (await i.as('builder')).call('POST', '/api/charters/plover/losses/stop')).status).toBe(403);
    await c.good('POST', '/api/charters/plover/losses/stop');
    expect((await now()).last?.status.state).toBe('stopped');
    // Whatever was done of it is gone on with, and it is on at the end.
    await c.good('POST', '/api/charters/plover/losses/resume');
    await eventually(async () => (await now()).last?.status.state === 'done', 'its end');
    expect(i.world.machines.get(host)?.power).toBe('On');
  });
  it('is none where the control plane would have no majority: nothing could be seen', async () => {
    const set = (value: number) =>
      c.good('POST', '/api/edits', {
        why: 'one member',
        edits: [{ op: 'set', kind: 'Charter', key: 'plover', path: ['controlPlane', 'count'], value }],
      });
    await set(1);
    const estate = await c.estate();
    const plan = resolve(estate.charters.find((x) => x.name === 'plover') as Charter, estate);
    const only = plan.nodes.find((n) => n.role === 'control-plane')?.host ?? '';
    expect((await begin(only)).body).toMatchObject({
      message: `Without ${only} the control plane of plover has no majority: nothing could be seen.`,
    });
    await set(3);
  });
  it('is none while another host is missing', async () => {
    const { plan } = await stands();
    const host = await hostOf('radar-archive');
    const other = plan.nodes.find((n) => n.role === 'worker' && n.host !== host)?.host ?? '';
    i.world.machines.get(other)?.powerOff();
    await eventually(
      async () => !(await clusterSeen((await stands()).at)).nodes.find((n) => n.name === other)?.ready,
      'it counts as lost',
    );
    const { body } = await begin(host);
    const run = await ended(body.id);
    expect([run.status.steps[`whole/${host}`]?.text, i.world.machines.get(host)?.power]).toEqual([
      `${other} is not ready: a further loss is another case.`,
      'On',
    ]);
  });
});
