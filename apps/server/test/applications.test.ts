import type { ClusterApplication, ClusterApplications, ExistingCluster } from '@praesidor/contract';
import { installs, ownAddon, takesAway } from '@praesidor/core/applications';
import type { Addon, Charter, Edit } from '@praesidor/core/model';
import { isReady, type KubeAt, type KubeNode, kube } from '@praesidor/protocols/kube';
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
const own = (text: string, name = 'reef'): Addon => {
  const read = ownAddon(text, { name, title: 'Reef', version: '1', source: 'upstream' });
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
  i = await new Installation().start({ timeoutSeconds: 90, also: smallPublications });
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
    for (const m of i.world.everyMachine()) if (m.hardware.name.startsWith('lr-')) m.powerOn();
  });
});

describe('taken in, as if somebody else had built it', () => {
  let kubeconfig = '';
  let hosts: string[] = [];
  const takeIn = (as: Client, more: object = {}) =>
    as.call<{ charter: string; number: number }>('POST', '/api/sites/lr/existing/take-in', { kubeconfig, name: 'reef', ...more });
  const ended = async (number: number) => {
    const build = () =>
      c.good<{ status: { state: string; steps: Record<string, { error?: string }> }; steps: { kind: string; host?: string }[] }>(
        'GET',
        `/api/builds/reef/${number}`,
      );
    await eventually(async () => ['done', 'failed'].includes((await build()).status.state), `change ${number} ends`);
    return build();
  };
  const held = async () => (await c.estate()).hosts.filter((h) => h.held?.charter === 'reef');
  const charterOf = async () => (await c.estate()).charters.find((x) => x.name === 'reef') as Charter;
  beforeAll(async () => {
    ({ kubeconfig, hosts } = await plover.forgotten());
    api = { ...api, purpose: 'existing' };
  });
  /** What its API was given: all that a change of it could have touched. */
  const given = async () => {
    const kinds = ['apps/v1/daemonsets', 'apps/v1/deployments', 'apps/v1/statefulsets'];
    const lists = await Promise.all(
      [...kinds.map((k) => `/apis/${k}`), '/api/v1/configmaps', '/api/v1/namespaces'].map((path) =>
        kube<{ items: { metadata: { name: string; namespace?: string }; spec?: object; data?: object }[] }>(api, path),
      ),
    );
    return lists.flatMap((l) =>
      (l?.items ?? []).map(({ metadata: { name, namespace }, spec, data }) => JSON.stringify([namespace, name, spec, data])),
    );
  };
  const begin = (kind: string, more: object = {}) =>
    c.call<{ number: number; message: string }>('POST', '/api/builds', { charter: 'reef', kind, ...more });
  const due = async () =>
    (await c.good<{ due: { kind: string; refused: string[] } | null }>('GET', '/api/charters/reef/change')).due;
  const set = (path: string[], value: unknown) => edits('a change', [{ op: 'set', kind: 'Charter', key: 'reef', path, value }]);
  let stood: string[] = [];

  it('is for who runs builds; what lacks is said, and nothing is saved', async () => {
    expect((await takeIn(await i.as('planner'))).status).toBe(403);
    const of = await takeIn(c, { name: 'reef', kubeconfig: 'kind: Pod' });
    expect([of.status, (await c.estate()).charters.some((x) => x.name === 'reef')]).toEqual([422, false]);
  });
  it('is not put over a charter of other hosts that has the name', async () => {
    const { charter: draft } = await c.good<ExistingCluster>('POST', '/api/sites/lr/existing', { kubeconfig, name: 'skerry' });
    const other = { ...(draft as Charter), workers: { count: 2 } };
    await edits('a plan', [{ op: 'put', doc: other }]);
    const answer = await takeIn(c, { name: 'skerry' });
    expect([answer.status, answer.body]).toEqual([
      409,
      expect.objectContaining({ message: 'There is a charter skerry already, and it has other hosts.' }),
    ]);
    expect(await i.query('select * from cluster_secret')).toEqual([]);
    expect((await c.call('DELETE', '/api/charters/skerry')).status).toBe(200);
  });
  it('stopped before it is proved, its hosts do not serve, and nobody installs them', async () => {
    stood = await given();
    const off = i.world.everyMachine().find((m) => m.hardware.name === hosts.at(-1));
    off?.powerOff();
    await eventually(async () => {
      const nodes = await kube<{ items: KubeNode[] }>(api, '/api/v1/nodes');
      return nodes?.items.some((n) => !isReady(n));
    }, 'one of its nodes is not ready');
    const { status, body } = await takeIn(c);
    expect(status, JSON.stringify(body)).toBe(201);
    expect((await c.call('POST', `/api/builds/reef/${body.number}/stop`)).status).toBeLessThan(300);
    await eventually(async () => (await due())?.kind === 'take-in', 'what is due is to take it in');
    expect((await held()).map((h) => h.state)).toEqual(hosts.map(() => 'held'));
    expect((await begin('build')).body.message).toContain('What is due for reef is “Take in reef”');
    // Deleted, its way in goes with it: another of that name would be taken for it.
    expect((await c.call('DELETE', '/api/charters/reef')).status).toBe(200);
    expect(await i.query('select * from cluster_secret')).toEqual([]);
    const again = (await takeIn(c)).body.number;
    await c.call('POST', `/api/builds/reef/${again}/stop`);
    await eventually(async () => (await due())?.kind === 'take-in', 'it is stopped once more');
    // What is mended in its charter meanwhile is kept: it says how the cluster is, and nobody gives it that.
    await set(['servicePool'], { range: '10.62.8.90-10.62.8.95' });
    off?.powerOn();
    await eventually(async () => {
      const nodes = await kube<{ items: KubeNode[] }>(api, '/api/v1/nodes');
      return nodes?.items.every(isReady);
    }, 'all of its nodes are ready');
  });
  it('its hosts serve once it is proved, its addresses are reserved, and nothing in it is changed', async () => {
    const { status, body } = await takeIn(c);
    expect(status, JSON.stringify(body)).toBe(201);
    const done = await ended(body.number);
    expect(done.status.state, JSON.stringify(done.status.steps)).toBe('done');
    expect(done.steps.map((s) => [s.kind, s.host])).toEqual([
      ['api', undefined],
      ['proof', undefined],
    ]);
    expect((await held()).map((h) => [h.name, h.state, h.held?.elsewhere]).sort()).toEqual(
      hosts.map((h) => [h, 'serving', true]),
    );
    expect((await c.estate()).reservations.filter((r) => r.owner.name === 'reef').map((r) => r.address)).toContain('10.62.8.20');
    expect([await given(), await due()]).toEqual([stood, null]);
    const { acts } = await c.good<{ acts: { act: string; subject: string }[] }>('GET', '/api/acts');
    expect(acts.filter((a) => a.subject === 'reef').map((a) => a.act)).toEqual(
      expect.arrayContaining(['kept the way into a cluster', 'began a change', 'changed and proved']),
    );
    expect(JSON.stringify(await i.query('select * from audit'))).not.toContain('PRIVATE KEY');
    // Once more, as when the way in ends: nothing else becomes otherwise.
    const again = await ended((await takeIn(c)).body.number);
    expect([again.status.state, (await held()).every((h) => h.state === 'serving'), await given()]).toEqual([
      'done',
      true,
      stood,
    ]);
  });
  it('it is measured like any other, as far as it is known how it is to be', async () => {
    await c.good('POST', '/api/charters/reef/proof');
    const { lines } = await c.good<{ lines: { what: string; good: boolean }[] }>('GET', '/api/charters/reef/proof');
    expect(lines.map((l) => [l.what, l.good]).sort()).toEqual(
      [
        'API answers',
        'certificates of the API are of its authority',
        'clocks of the nodes',
        'members behind the API address',
        'nodes ready',
        'roles',
        'versions of the nodes',
      ].map((what) => [what, true]),
    );
  });
  it('its hosts are not installed from here, and nobody is let in by a key that is not here', async () => {
    await set(['workers', 'count'], 2);
    expect(await due()).toMatchObject({ kind: 'remove-hosts', refused: [expect.stringContaining('built elsewhere')] });
    expect((await begin('remove-hosts')).status).toBe(409);
    await set(['workers', 'count'], 3);
    expect((await begin('take-down', { confirm: 'reef' })).body.message).toContain('built elsewhere');
    const r = await fetch(`${i.config.publicUrl}/api/charters/reef/kubeconfig`, { headers: { cookie: c.cookie } });
    expect([r.status, await r.text()]).toEqual([409, expect.stringContaining('the key of its authority is not here')]);
    expect(await i.query("select name from cluster_secret where charter = 'reef' order by name")).toEqual(
      ['admin.crt', 'admin.key', 'apiserver.crt', 'cluster-ca.crt'].map((name) => ({ name })),
    );
  });
  it('an application comes and goes as a change, and all else stays as it was found', async () => {
    const addon = own(
      `${fog}apiVersion: apps/v1
kind: Deployment
metadata: {name: fog, namespace: default}
spec:
  replicas: 1
  selector: {matchLabels: {app: fog}}
  template:
    metadata: {labels: {app: fog}}
    spec: {containers: [{name: fog, image: '${image(0)}'}]}
`,
      'fog',
    );
    await edits('fog', [{ op: 'put', doc: addon }, ...installs(await charterOf(), addon)]);
    await eventually(async () => (await c.estate()).observed.bills.fog !== undefined, 'its bill is read');
    const come = await ended((await begin('apply')).body.number);
    expect(come.status.state, JSON.stringify(come.status.steps)).toBe('done');
    const more = (await given()).filter((o) => !stood.includes(o));
    expect(more).toEqual([
      expect.stringContaining('["default","fog",{"replicas":1'),
      expect.stringContaining('["default","fog"'),
    ]);
    expect((await given()).filter((o) => stood.includes(o))).toEqual(stood);
    // What it had when it was taken in is not ours to take away, either.
    await edits('no fog, and no pool', [
      ...takesAway(await charterOf(), 'fog'),
      { op: 'set', kind: 'Charter', key: 'reef', path: ['servicePool'], value: undefined },
    ]);
    const go = await ended((await begin('apply')).body.number);
    expect([go.status.state, await given()]).toEqual(['done', stood]);
  });
  it('released, it runs on: its hosts are free, the way in is forgotten, and the charter can be deleted', async () => {
    expect((await begin('release')).status).toBe(422);
    const gone = await ended((await begin('release', { confirm: 'reef' })).body.number);
    expect(gone.status.state, JSON.stringify(gone.status.steps)).toBe('done');
    expect([await held(), await given()]).toEqual([[], stood]);
    expect((await c.estate()).hosts.filter((h) => hosts.includes(h.name)).map((h) => h.state)).toEqual(hosts.map(() => 'fit'));
    expect((await c.estate()).reservations.filter((r) => r.owner.name === 'reef')).toEqual([]);
    expect(await i.query('select * from cluster_secret')).toEqual([]);
    expect(await due()).toMatchObject({ kind: 'build' });
    expect((await c.call('DELETE', '/api/charters/reef')).status).toBe(200);
  });
});
