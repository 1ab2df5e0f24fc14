import type { ClusterApplication, ClusterApplications, ExistingCluster } from '@praesidor/contract';
import { installs, ownAddon, takesAway } from '@praesidor/core/applications';
import type { Addon, Charter, Edit } from '@praesidor/core/model';
import { type KubeAt, kube } from '@praesidor/protocols/kube';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Client, eventually, Installation, prepare, shipped, smallPublications } from './installation.ts';
import { Plover } from './plover.ts';

/** What is installed into plover while it stands: seen from the product, and from its API with a kubeconfig. */
let i: Installation;
let c: Client;
let plover: Plover;
let api: KubeAt;
const image = (n: number) => smallPublications[n]?.image ?? '';

const reef = (selector = '', more = '') => `${more}apiVersion: apps/v1
kind: Deployment
metadata: {name: buoys, namespace: reef}
spec:
  replicas: 2
  selector: {matchLabels: {app: buoys}}
  template:
    metadata: {labels: {app: buoys}}
    spec:
      ${selector}
      containers: [{name: buoys, image: '${image(0)}'}]
---
apiVersion: apps/v1
kind: StatefulSet
metadata: {name: tides, namespace: reef}
spec:
  replicas: 1
  serviceName: tides
  selector: {matchLabels: {app: tides}}
  template:
    metadata: {labels: {app: tides}}
    spec:
      containers: [{name: tides, image: '${image(1)}'}]
---
apiVersion: v1
kind: PersistentVolumeClaim
metadata: {name: charts, namespace: reef}
spec:
  accessModes: [ReadWriteOnce]
  resources: {requests: {storage: 1Gi}}
---
apiVersion: v1
kind: ConfigMap
metadata: {name: marks, namespace: reef-marks}
data: {north: cardinal}
---
apiVersion: v1
kind: Namespace
metadata: {name: reef}
---
apiVersion: v1
kind: Namespace
metadata: {name: reef-marks}
`;
const fog = 'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: fog, namespace: default}\n---\n';
const own = (text: string): Addon => {
  const read = ownAddon(text, { name: 'reef', title: 'Reef', version: '1', source: 'upstream' });
  if (!('addon' in read)) throw new Error(read.faults.join());
  return read.addon;
};
const edits = (why: string, list: Edit[]) => c.good('POST', '/api/edits', { why, edits: list });
const charter = async (): Promise<Charter> => (await c.estate()).charters.find((x) => x.name === 'plover') as Charter;
const list = () => c.good<ClusterApplications>('GET', '/api/charters/plover/applications');
const app = async (name: string): Promise<ClusterApplication | undefined> =>
  (await list()).applications.find((a) => a.addon === name);
const lines = (a: ClusterApplication | undefined) =>
  a?.parts.map((p) => `${p.kind} ${p.name} ${p.state}${p.wanted === undefined ? '' : ` ${p.ready}/${p.wanted}`}`);
const there = async (path: string) => (await kube(api, path)) !== undefined;
const begun = async () => {
  const kind = (await plover.due())?.kind ?? '';
  const answer = await plover.begin(kind);
  expect(answer.status, JSON.stringify(answer.body)).toBe(201);
  return answer.body.number;
};

beforeAll(async () => {
  i = await new Installation().start({ timeoutSeconds: 20, also: smallPublications });
  c = await i.as('warden');
  plover = new Plover(i, c);
  await prepare(c);
});
afterAll(() => i.stop());

describe('applications of a cluster', () => {
  it('that does not stand come with its build', async () => {
    const found = await list();
    expect([found.by, found.applications.map((a) => [a.addon, a.state, a.parts])]).toEqual([
      undefined,
      [
        ['inbound-router', 'planned', []],
        ['log-shipper', 'planned', []],
      ],
    ]);
  });
  it('are told as its API has them when it stands', async () => {
    i.world.clock.setSpeed(3000);
    await c.good('POST', '/api/builds', { charter: 'plover' });
    await plover.done(1);
    api = await plover.kubeconfig();
    const found = await list();
    expect(found.silent).toBeUndefined();
    expect(found.applications.map((a) => [a.addon, a.state])).toEqual([
      ['inbound-router', 'runs'],
      ['log-shipper', 'runs'],
    ]);
    // Three workers, one pod of it on each.
    expect(lines(found.applications[1])).toEqual(
      ['log-shipper', 'log-buffer', 'log-config'].map((n) => `DaemonSet ${n} runs 3/3`),
    );
    expect((await c.call('GET', '/api/charters/nobody/applications')).status).toBe(404);
  });
});

describe('manifests of one’s own', () => {
  it('are in the plan at once, and not begun before their images are at the mirror', async () => {
    const addon = own(reef());
    await edits('a reef', [{ op: 'put', doc: addon }, ...installs(await charter(), addon)]);
    expect(await app('reef')).toEqual({ addon: 'reef', state: 'planned', parts: [] });
    await eventually(async () => (await c.estate()).observed.bills.reef, 'its bill is read');
    const due = await plover.due();
    const refused = await plover.begin(due?.kind ?? '');
    expect([refused.status, refused.body.message]).toEqual([409, expect.stringContaining('cannot be built')]);
    expect(refused.body).toMatchObject({ places: [{ path: 'mirror', code: 'IMG-001' }] });
    await shipped(c, ['reef']);
  });
  it('come up part by part, namespaces first, and run', async () => {
    const number = await begun();
    // No host is touched for it: what its nodes lack they pull when a pod asks for it.
    const { steps } = await c.good<{ steps: { kind: string; host?: string }[] }>('GET', `/api/builds/plover/${number}`);
    expect(steps.filter((s) => s.host)).toEqual([]);
    const seen = new Set<string>();
    const b = plover.done(number);
    let ended = false;
    void b.finally(() => {
      ended = true;
    });
    while (!ended) {
      const a = await app('reef');
      if (a) seen.add(a.state);
      await new Promise((done) => setTimeout(done, 100));
    }
    await b;
    expect(seen).toContain('comes-up');
    const a = await app('reef');
    expect([a?.state, lines(a)?.sort()]).toEqual([
      'runs',
      [
        'ConfigMap marks there',
        'Deployment buoys runs 2/2',
        'Namespace reef there',
        'Namespace reef-marks there',
        'PersistentVolumeClaim charts there',
        'StatefulSet tides runs 1/1',
      ],
    ]);
    expect(await there('/apis/apps/v1/namespaces/reef/statefulsets/tides')).toBe(true);
    const pulled = await Promise.all([...i.world.stores.values()].map((s) => s.pulls()));
    const byNodes = pulled.flat().filter((p) => p.agent === 'container-runtime' && p.kind === 'manifest');
    expect(new Set(byNodes.map((p) => p.repository.split('/').at(-1)))).toContain('small-1');
  });
  it('that no node can take say why, in the words of the scheduler, and run when they are mended', async () => {
    await edits('elsewhere', [{ op: 'put', doc: own(reef('nodeSelector: {sea: deep}', fog)) }]);
    const number = await begun();
    let last: ClusterApplication | undefined;
    const failing = await eventually(
      async () => {
        last = await app('reef');
        return last?.parts.some((p) => p.why) && last;
      },
      () => `it says why: ${JSON.stringify(last)}`,
    );
    expect(failing.state).toBe('comes-up');
    expect(failing.parts.find((p) => p.name === 'buoys')?.why).toMatch(/^buoys-.* waits for a node: /);
    await c.good('POST', `/api/builds/plover/${number}/stop`);
    await eventually(
      async () => (await c.good<{ status: { state: string } }>('GET', `/api/builds/plover/${number}`)).status.state === 'stopped',
      'the change is stopped',
    );
    expect(await there('/api/v1/namespaces/default/configmaps/fog')).toBe(true);
    // Its charter says again what the last change gave that ended well; what was stopped lies there all the same.
    await edits('as it was', [{ op: 'put', doc: own(reef()) }]);
    // Once a step that was stopped has ended.
    const again = await eventually(async () => {
      const answer = await plover.begin((await plover.due())?.kind ?? '');
      return answer.status === 201 && answer.body.number;
    }, 'it begins');
    await plover.done(again);
    expect((await app('reef'))?.state).toBe('runs');
    expect(await there('/api/v1/namespaces/default/configmaps/fog')).toBe(false);
  });
  it('are taken away with the next change; a claim and the namespace that it lies in stay', async () => {
    await edits('no reef', takesAway(await charter(), 'reef'));
    expect((await app('reef'))?.state).toBe('leaves');
    const number = await begun();
    await plover.done(number);
    expect(await app('reef')).toBeUndefined();
    expect(
      await Promise.all(
        [
          '/apis/apps/v1/namespaces/reef/deployments/buoys',
          '/apis/apps/v1/namespaces/reef/statefulsets/tides',
          '/api/v1/namespaces/reef-marks',
          '/api/v1/namespaces/reef',
          '/api/v1/namespaces/reef/persistentvolumeclaims/charts',
        ].map(there),
      ),
    ).toEqual([false, false, false, true, true]);
    const { lines: log } = await c.good<{ lines: { line: string }[] }>(
      'GET',
      `/api/builds/plover/${number}/log?text=${encodeURIComponent('stays')}`,
    );
    expect(log.map((l) => l.line)).toEqual([
      expect.stringContaining('PersistentVolumeClaim charts is not in the plan any more and stays'),
      expect.stringContaining('Namespace reef is not in the plan any more and stays: PersistentVolumeClaim charts would go'),
    ]);
  });
});

describe('read as if somebody else had built it', () => {
  const read = (kubeconfig: string, more: object = {}, site = 'lr') =>
    c.call<ExistingCluster>('POST', `/api/sites/${site}/existing`, { kubeconfig, ...more });
  const config = async () => {
    const r = await fetch(`${i.config.publicUrl}/api/charters/plover/kubeconfig?role=administrator`, {
      headers: { cookie: c.cookie },
    });
    return r.text();
  };
  it('nodes, versions, ranges and certificates are what it was built with; nothing is saved', async () => {
    const was = await c.estate();
    const { status, body } = await read(await config(), { name: 'found' });
    expect(status, JSON.stringify(body)).toBe(200);
    const plan = was.charters.find((x) => x.name === 'plover') as Charter;
    expect([body.name, body.version, body.charter?.name], JSON.stringify(body.lacks)).toEqual(['plover', '1.34.2', 'found']);
    expect(body.nodes.map((n) => [n.name, n.controlPlane, n.version, n.ready, n.host]).sort()).toEqual(
      was.hosts
        .filter((h) => h.held?.charter === 'plover')
        .map((h) => [h.name, h.held?.role === 'control-plane', '1.34.2', true, h.name])
        .sort(),
    );
    // Those of a charter are nobody else's.
    expect(new Set(body.nodes.map((n) => n.why))).toEqual(new Set(['it is held by plover']));
    expect(body.charter).toMatchObject({
      site: 'lr',
      release: '1.34.2',
      controlPlane: { count: 3 },
      workers: { count: 3 },
      machineNetwork: plan.machineNetwork,
      pods: { range: plan.pods.range },
      services: { range: plan.services.range },
      api: { name: 'kube.plover.lr.kestrelferries.example', port: 6443 },
    });
    expect(body.rows.find((r) => r.what === 'pod network')).toMatchObject({ there: plan.pods.range, same: true });
    expect(body.rows.find((r) => r.what === 'names in the certificate of the API')?.same).toBe(true);
    expect(Date.parse(body.certificateUntil ?? '')).toBeGreaterThan(Date.now());
    expect((await c.estate()).charters).toEqual(was.charters);
    const { acts } = await c.good<{ acts: { id: number; act: string }[] }>('GET', '/api/acts');
    const act = acts.find((a) => a.act === 'read a cluster that exists');
    const whole = await c.good<{ detail: object }>('GET', `/api/acts/${act?.id}`);
    expect(whole.detail).toEqual({ cluster: 'plover', api: 'kube.plover.lr.kestrelferries.example:6443' });
  });
  it.each([
    ['no kubeconfig at all', () => 'kind: Pod', 422, /It is no kubeconfig/],
    [
      'one that does not verify',
      (k: string) => k.replace(/certificate-authority-data: .*/, 'insecure-skip-tls-verify: true'),
      422,
      /does not verify/,
    ],
    [
      'another authority',
      (k: string) =>
        k.replace(/certificate-authority-data: .*/, `certificate-authority-data: ${Buffer.from('nobody').toString('base64')}`),
      422,
      /no certificate of an authority/,
    ],
    [
      'an API in no machine network',
      (k: string) => k.replace(/server: .*/, 'server: https://10.62.7.10:6443'),
      409,
      /no declared machine network/,
    ],
    [
      'an API on this machine',
      (k: string) => k.replace(/server: .*/, 'server: https://127.0.0.1:6443'),
      409,
      /nothing is connected to there/,
    ],
  ])('%s is refused, and nobody is asked', async (_, change, status, why) => {
    const answer = await read(change(await config()));
    expect([answer.status, answer.body.message]).toEqual([status, expect.stringMatching(why)]);
  });
});

describe('an API that does not answer', () => {
  it('is said, and what is installed is not known', async () => {
    for (const m of i.world.everyMachine()) if (m.hardware.name.startsWith('lr-')) m.powerOff();
    const found = await eventually(async () => {
      const l = await list();
      return l.silent !== undefined && l;
    }, 'it is away');
    expect(found.applications.map((a) => a.state)).toEqual(['not-known', 'not-known']);
  });
});
