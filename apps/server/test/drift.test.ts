import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Measured, PublishedNow } from '@praesidor/contract';
import { proveClusters } from '../src/areas/builds/proofs.ts';
import { type Client, eventually, Installation, prepare } from './installation.ts';
import { Plover } from './plover.ts';

const i = new Installation();
let c: Client;
let p: Plover;
interface Line {
  what: string;
  good: boolean;
  found: string;
  evidence: string[];
  since: string;
  at: string;
  every?: number;
  mend: { label: string; go: string };
}
interface Proof {
  lines: Line[];
  changes: { what: string; good: boolean; found: string }[];
}
const proof = () => c.good<Proof>('GET', '/api/charters/plover/proof');
const measured = () => c.good<Proof>('POST', '/api/charters/plover/proof');
const bad = (x: Proof) => x.lines.filter((l) => !l.good).map((l) => l.what);
const drifts = async () => (await c.good<{ drifts: { charter: string; what: string }[] }>('GET', '/api/proofs')).drifts;

/** What a cluster is found to be, long after it was built. */
describe('a cluster that stands', () => {
  beforeAll(async () => {
    await i.start();
    c = await i.as('warden');
    p = new Plover(i, c);
    await prepare(c);
    await p.set('small', [['workers', 'count'], 2]);
    await p.begin('build');
    await p.done(1);
  });
  afterAll(() => i.stop());

  it('is measured from its build on: every line with how often, and since when it holds', async () => {
    const now = await proof();
    expect(bad(now)).toEqual([]);
    expect(now.lines.find((l) => l.what === 'nodes ready')).toMatchObject({ every: 5, found: '5 of 5' });
    // It is measured of what a change did, and not again.
    expect(now.lines.find((l) => l.what === 'images pulled from the mirror')?.every).toBeUndefined();
    const again = await measured();
    expect(bad(again)).toEqual([]);
    const [first, second] = [now, again].map((x) => x.lines.find((l) => l.what === 'nodes ready') as Line);
    expect(second?.since).toBe(first?.since);
    expect(Date.parse(second?.at ?? '')).toBeGreaterThan(Date.parse(first?.at ?? ''));
    expect(await drifts()).toEqual([]);
  });

  describe('its published services', () => {
    const service = (name: string, more: object = {}) =>
      p.give(`/api/v1/namespaces/default/services/${name}`, {
        apiVersion: 'v1',
        kind: 'Service',
        metadata: { name, namespace: 'default' },
        spec: { type: 'LoadBalancer', selector: { app: name }, ports: [{ port: 443, protocol: 'TCP' }], ...more },
      });
    const deployment = (name: string) =>
      p.give(`/apis/apps/v1/namespaces/default/deployments/${name}`, {
        apiVersion: 'apps/v1',
        kind: 'Deployment',
        metadata: { name, namespace: 'default' },
        spec: {
          replicas: 2,
          selector: { matchLabels: { app: name } },
          template: {
            metadata: { labels: { app: name } },
            spec: { containers: [{ name, image: 'images.upstream.example/core/pause:1.34.2' }] },
          },
        },
      });
    const asked = async () =>
      (await c.good<PublishedNow>('POST', '/api/charters/plover/services/measure')).services.map((s) => ({ ...s.seen, ...s }));
    const of = async () => (await asked()).map((s) => `${s.name} ${s.standing} ${s.addresses?.join() ?? 'none'}`);

    it('are told beside the plan: those that are there, at which address, and who answers for it since when', async () => {
      // Planned are radar-archive and berth-planner, at the first two of 10.62.8.64 to .79.
      // At a port of the nodes: ais-feed.
      expect(await of()).toEqual(['radar-archive absent none', 'berth-planner absent none', 'ais-feed absent none']);
      await deployment('radar-archive');
      const before = Date.now();
      await service('radar-archive');
      await service('tide-table');
      await eventually(async () => ((await asked())[0]?.behind ?? 0) === 2, 'its pods run');
      expect(await of()).toEqual([
        'radar-archive as-planned 10.62.8.64',
        'berth-planner absent none',
        'ais-feed absent none',
        'tide-table not-planned 10.62.8.66',
      ]);
      const [archive] = await asked();
      expect(archive?.text).toBeUndefined();
      const hosts = (await p.serving()).map((h) => h.name);
      expect(hosts).toContain(archive?.node?.name);
      expect(Date.parse(archive?.node?.since ?? '')).toBeGreaterThanOrEqual(before - 1000);
      expect(archive?.ports?.[0]?.nodePort).toBeGreaterThanOrEqual(30_000);
    });
    it('that nobody stands behind, of another type, or whose announcer is away, are told with why', async () => {
      await service('berth-planner', { type: 'NodePort' });
      const planner = (await asked()).find((s) => s.name === 'berth-planner');
      expect([planner?.standing, planner?.text]).toEqual(['waits', expect.stringContaining('of type LoadBalancer')]);
      await service('berth-planner');
      expect((await asked()).find((s) => s.name === 'berth-planner')?.text).toContain('No ready pod');
      const settings = '/api/v1/namespaces/kube-system/configmaps/service-announcer';
      const was = (await p.ask<object>(settings)) ?? {};
      await p.ask(settings, { method: 'DELETE' });
      expect((await of()).slice(0, 2)).toEqual(['radar-archive waits ', 'berth-planner waits ']);
      await p.give(settings, was);
      // Given again, they have what they had.
      expect((await of())[0]).toBe('radar-archive as-planned 10.62.8.64');
    });
    it('are asked for by whoever may build, of a cluster that stands', async () => {
      const reader = await i.as('planner');
      expect((await reader.call('POST', '/api/charters/plover/services/measure')).status).toBe(403);
      expect((await c.call('POST', '/api/charters/tern/services/measure')).status).toBe(409);
    });
  });

  describe('a path from one of its hosts', () => {
    const from = async (host: string, to: string, port?: number) =>
      c.call<Measured>('POST', '/api/reach/measure', { to, from: host, ...(port ? { port } : {}) });
    it('is measured there: which way its kernel takes, and whether somebody answers', async () => {
      const [host] = await p.serving();
      const near = await from(host?.name ?? '', 'plover/api');
      expect(near.body).toMatchObject({
        answered: true,
        why: null,
        from: { host: host?.name, via: null, link: 'eno1', mtu: 1500 },
      });
      const far = await from(host?.name ?? '', 'lr-desks/10.62.40.17', 443);
      expect(far.body).toMatchObject({ answered: false, from: { via: '10.62.8.1' } });
    });
    it('is refused of a host that serves nothing, or that does not let the server in, with what to do', async () => {
      const { hosts } = await c.estate();
      const idle = hosts.find((h) => h.state !== 'serving' && h.site === 'lr')?.name ?? '';
      expect((await from(idle, 'plover/api')).body).toMatchObject({
        code: 'not-now',
        remedy: expect.stringContaining('hosts that serve'),
      });
      const [host] = await p.serving();
      i.plant('ssh-silent', host?.name ?? '');
      expect((await from(host?.name ?? '', 'plover/api')).body).toMatchObject({
        code: 'not-now',
        remedy: 'Measure from this server.',
      });
      i.lift('ssh-silent', host?.name ?? '');
      expect((await from('nobody', 'plover/api')).status).toBe(404);
    });
  });

  it('a record that somebody edits by hand is found, and that it was put right', async () => {
    const { api } = (await c.good<{ plan: { api: { name: string } } }>('GET', '/api/builds/plover/1')).plan as never as {
      api: { name: string };
    };
    const record = i.world.dns.zones.flatMap((z) => z.records).find((r) => r.name === api.name && r.type === 'A');
    if (!record) throw new Error('the API has no record');
    const was = record.value;
    record.value = '10.62.8.99';
    const now = await measured();
    expect(bad(now)).toEqual(['names resolve forward and back']);
    expect(now.lines[0]?.mend).toEqual({ label: 'Open Names', go: '/addresses/names' });
    expect(await drifts()).toMatchObject([{ charter: 'plover', what: 'names resolve forward and back' }]);
    record.value = was;
    const after = await measured();
    expect(bad(after)).toEqual([]);
    expect(after.changes.slice(0, 2).map((x) => [x.what, x.good])).toEqual([
      ['names resolve forward and back', true],
      ['names resolve forward and back', false],
    ]);
  });

  it('a clock that is ten minutes ahead is found by the stamps that its kubelet writes', async () => {
    const worker = (await p.serving()).find((h) => h.held?.role === 'worker')?.name ?? '';
    i.plant('clock-wrong', worker);
    const now = await measured();
    expect(bad(now)).toEqual(['clocks of the nodes']);
    const said = now.lines.find((l) => l.what === 'clocks of the nodes');
    expect(said).toMatchObject({ found: '4 of 5', every: 15, mend: { go: '/hosts?q=cluster:plover' } });
    expect(said?.evidence.find((e) => e.startsWith(worker))).toMatch(/: (9|10) min.* ahead of this server/);
    i.lift('clock-wrong', worker);
    expect(bad(await measured())).toEqual([]);
  });

  it('a node that is gone is found, and that it is back', async () => {
    const worker = (await p.serving()).find((h) => h.held?.role === 'worker');
    i.world.machines.get(worker?.name ?? '')?.powerOff();
    await eventually(async () => bad(await measured()).includes('nodes ready'), 'it is found to be away');
    const now = await proof();
    expect(now.lines.find((l) => l.what === 'nodes ready')).toMatchObject({
      found: '4 of 5',
      mend: { go: '/hosts?q=cluster:plover' },
    });
    i.world.machines.get(worker?.name ?? '')?.powerOn();
    await eventually(async () => !bad(await measured()).includes('nodes ready'), 'it is back');
  });

  it('whose API is away has one line that says so, and the others stay as they were seen last', async () => {
    const before = await proof();
    const machines = (await p.serving()).filter((h) => h.held?.role === 'control-plane').map((h) => i.world.machines.get(h.name));
    for (const m of machines) m?.powerOff();
    const now = await measured();
    expect(bad(now)).toEqual(['API answers']);
    const at = (x: Proof) => x.lines.find((l) => l.what === 'nodes ready')?.at;
    expect(at(now)).toBe(at(before));
    for (const m of machines) m?.powerOn();
    await eventually(async () => bad(await measured()).length === 0, 'all of it holds again');
  });

  it('is measured when it is time, and not before', async () => {
    const at = async () => Object.fromEntries((await proof()).lines.map((l) => [l.what, l.at]));
    const before = await at();
    await proveClusters(i.running.ctx, AbortSignal.timeout(20_000));
    expect(await at()).toEqual(before);
    await i.query("update proof_measured set at = now() - interval '6 minutes'");
    await proveClusters(i.running.ctx, AbortSignal.timeout(20_000));
    const after = await at();
    expect(after['nodes ready']).not.toBe(before['nodes ready']);
    // Every fifteen minutes, and every hour.
    expect(after['names resolve forward and back']).toBe(before['names resolve forward and back']);
    expect(after['versions of the nodes']).toBe(before['versions of the nodes']);
  });

  it('is measured by whoever may build, and only while it stands', async () => {
    const reader = await i.as('reader');
    expect((await reader.call('GET', '/api/charters/plover/proof')).status).toBe(200);
    expect((await reader.call('POST', '/api/charters/plover/proof')).status).toBe(403);
    expect((await c.call('POST', '/api/charters/dunlin/proof')).body.message).toContain('does not stand');
  });
});
