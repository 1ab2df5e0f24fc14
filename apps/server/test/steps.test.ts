import { X509Certificate } from 'node:crypto';
import { createServer, type Server } from 'node:https';
import { once } from 'node:events';
import { type AddressInfo, createServer as createNet } from 'node:net';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { resolve } from '@praesidor/core/charter';
import { imagesOf, placeholder, programsOf } from '@praesidor/core/files';
import type { Charter, Registry } from '@praesidor/core/model';
import { anywhere, Dialer, Exits, fingerprintOf, parseAddressMap } from '@praesidor/protocols/dial';
import { createRegistry, Store } from '@praesidor/registry';
import { makeCertificate } from '@praesidor/standins';
import { goodEstate, withAddon } from '../../../packages/core/test/estate.ts';
import { type Report, type StepContext, StepFailure } from '../src/areas/builds/step.ts';
import { freePort } from './installation.ts';
import { runners } from '../src/areas/builds/steps/index.ts';
import type { Proof } from '../src/areas/builds/measures.ts';

/**
 * Each kind of step by itself: what it takes for done, what for broken, and what it says then. The cluster is an HTTPS server
 * that answers what the test says, in the shapes of the Kubernetes API reference.
 */
const estate = goodEstate();
const plan = resolve(estate.charters[0] as Charter, estate);
const nodes = plan.nodes;
const kit = {
  plan,
  estate,
  secret: placeholder('plover'),
  installation: 'build 1',
  bootUrl: (h: string) => `http://praesidor.example/boot/${h}`,
  reportUrl: (h: string) => `http://praesidor.example/report/${h}`,
};
const worker = nodes.find((n) => n.role === 'worker') as (typeof nodes)[number];
const first = nodes[0] as (typeof nodes)[number];

type Pair = Awaited<ReturnType<typeof makeCertificate>>;
/** What the API says of its kinds, as far as they are given to it here. */
const served = (kinds: Record<string, [resource: string, namespaced: boolean]>) => ({
  resources: Object.entries(kinds).map(([kind, [name, namespaced]]) => ({ kind, name, namespaced })),
});
const discovery: Record<string, unknown> = {
  '/api/v1': served({ ConfigMap: ['configmaps', true], Service: ['services', true], ServiceAccount: ['serviceaccounts', true] }),
  '/apis/apps/v1': served({ DaemonSet: ['daemonsets', true], Deployment: ['deployments', true] }),
  '/apis/rbac.authorization.k8s.io/v1': served({
    ClusterRole: ['clusterroles', false],
    ClusterRoleBinding: ['clusterrolebindings', false],
  }),
};
let pair: Pair;
let anchor = '';
let server: Server;
/** What the API answers at a path; nothing: 404. Each request is put down. */
let objects: Record<string, unknown> = {};
/** What the API refuses to do at a path, as a Status says it. */
let refused: Record<string, { code: number; message: string; details?: object }> = {};
const asked: string[] = [];
/** What happens when a path is asked for. */
let onAsk: (path: string) => void = () => undefined;
beforeAll(async () => {
  const ca = await makeCertificate({ commonName: 'CA', isCa: true });
  const own = await makeCertificate({ commonName: plan.api.name, names: [plan.api.name], ca });
  pair = own;
  anchor = ca.cert;
  server = createServer({ key: own.key, cert: own.cert }, (req, res) => {
    asked.push(`${req.method} ${req.url?.split('?')[0]}`);
    const path = req.url?.split('?')[0] ?? '';
    onAsk(path);
    const body = objects[path] ?? discovery[path];
    req.resume();
    const no = req.method === 'GET' ? undefined : refused[path];
    if (no) return void res.writeHead(no.code).end(JSON.stringify(no));
    if (req.method !== 'GET') return void res.writeHead(201).end('{}');
    res.writeHead(body === undefined ? 404 : 200).end(JSON.stringify(body ?? {}));
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
});
afterAll(() => {
  server.close();
});
beforeEach(() => {
  objects = {};
  refused = {};
  asked.length = 0;
  onAsk = () => undefined;
});

interface Node {
  metadata: { name: string; labels: object };
  status: { conditions: { type: string; status: string }[]; nodeInfo: { kubeletVersion: string } };
}
interface Cluster {
  nodes: { items: Node[] };
  agents: { status: { desiredNumberScheduled: number; numberReady: number } };
  members: { subsets: { addresses: { ip: string }[] }[] };
  leases: { items: { metadata: { name: string }; spec: { leaseDurationSeconds: number; renewTime: string } }[] };
}
interface Ran {
  end: string;
  lines: string[];
  steps: string[];
  healed: string[];
  queries: { sql: string; values: unknown[] }[];
}
/** Runs a step over batches of reports; asks until they are used up, and some times more. */
async function run(
  kind: Parameters<typeof runners.get>[0],
  {
    node = worker,
    reports = [] as Partial<Report>[][],
    retry = false,
    rows = {} as Record<string, unknown[]>,
    more = {} as Partial<StepContext>,
  } = {},
): Promise<Ran> {
  const out: Ran = { end: '', lines: [], steps: [], healed: [], queries: [] };
  const batches = [...reports];
  const query = async (sql: string, values: unknown[]) => {
    out.queries.push({ sql, values });
    return Object.entries(rows).find(([part]) => sql.includes(part))?.[1] ?? [];
  };
  const port = (server.address() as AddressInfo).port;
  const s = {
    ctx: { db: { manager: { query } } },
    build: {
      id: 7,
      number: 2,
      charter: 'plover',
      kind: 'build',
      moves: { joins: nodes.map((n) => n.host), leaves: [], stands: [] },
      decided: {},
      steps: nodes.map((n) => ({ id: `${n.host}/images`, kind: 'images', host: n.host })),
    },
    step: { id: 'x', kind, host: node.host },
    plan,
    // Without controllers: nothing is asked of machines here.
    estate: { ...estate, hosts: estate.hosts.map(({ bmc: _, ...h }) => h) },
    node,
    kit,
    retry,
    signal: new AbortController().signal,
    log: async (text: string, level = 'info') => void out.lines.push(level === 'warn' ? `! ${text}` : text),
    progress: async (done: number, of: number) => void out.steps.push(`${done}/${of}`),
    healed: async (text: string) => void out.healed.push(text),
    until: async <T>(ask: () => Promise<T | undefined>, otherwise: () => string) => {
      for (let n = 0; n < reports.length + 3; n++) {
        const answer = await ask();
        if (answer !== undefined) return answer;
      }
      throw new StepFailure(otherwise());
    },
    knows: {},
    remember: async () => undefined,
    noted: () => undefined,
    reports: async () => (batches.shift() ?? []).map((r) => ({ event: 'progress', result: 'SUCCESS', text: '', ...r })),
    kube: () => ({
      dialer: { locate: async () => ({ host: '127.0.0.1', port, address: '127.0.0.1' }) },
      host: plan.api.name,
      address: plan.api.address,
      ca: anchor,
      certificate: pair.cert,
      key: pair.key,
    }),
    ...more,
  } as unknown as StepContext;
  out.end = (await runners.get(kind)?.run(s)) ?? '';
  return out;
}
const broken = (work: Promise<Ran>): Promise<StepFailure> =>
  work.then(
    (r) => expect.unreachable(`it ended: ${r.end}`),
    (e: unknown) => e as StepFailure,
  );

describe('the first boot', () => {
  it.each(['system', 'phone-home'] as const)('is done when %s says that it finished', async (name) => {
    const r = await run('system', {
      reports: [[{ name: 'fetch', text: 'boot script' }], [{ name, event: 'finish', text: 'up' }]],
    });
    expect([r.end, r.lines]).toEqual(['first boot done', ['boot script', 'up']]);
  });
  it.each(['images', 'gate'] as const)('is done, even if its own word was lost, when %s is heard of', async (name) => {
    expect((await run('system', { reports: [[{ name }]] })).end).toBe('first boot done');
  });
  it('that fails breaks the step with what the host said', async () => {
    const e = await broken(run('system', { reports: [[{ name: 'system', result: 'FAIL', text: 'eno1 has no link' }]] }));
    expect(e.message).toBe(`${worker.host}: eno1 has no link`);
    expect(e.remedy).toContain('network configuration');
  });
  it('that begins and ends nowhere is told apart from one that never asked', async () => {
    expect((await broken(run('system', { reports: [[{ name: 'system', event: 'start', text: 'kernel' }]] }))).message).toBe(
      `${worker.host} began its first boot and has gone silent`,
    );
    expect((await broken(run('system'))).message).toBe(
      `${worker.host} has power and never asked for its boot program: firmware asks a DHCP server in lr-machine for an address first`,
    );
    const guest = { ...worker, guest: { hypervisor: 'hv-1', mould: 'small' } };
    expect((await broken(run('system', { node: guest }))).message).toBe(
      `${worker.host} runs and never asked for its first-boot data`,
    );
  });
});

describe('the images of a node', () => {
  const of = imagesOf(kit, worker).length;
  const pulled = (text: string) => ({ name: 'images', text });
  it('are counted as they come, each once, and done at their end', async () => {
    const r = await run('images', {
      reports: [[pulled('a'), pulled('b')], [pulled('a')], [{ name: 'images', event: 'finish' }]],
    });
    expect(r.end).toBe(`${of} images`);
    expect(r.steps).toEqual([`1/${of}`, `2/${of}`, `2/${of}`]);
  });
  it('that came before the step was tried again are not counted anew', async () => {
    const r = await run('images', {
      retry: true,
      rows: { build_report: [{ text: 'a' }, { text: 'b' }] },
      reports: [[pulled('c')], [{ name: 'images', event: 'finish' }]],
    });
    expect(r.steps).toEqual([`3/${of}`]);
    expect(r.queries[0]?.values).toEqual([7, worker.host]);
  });
  it('that came after a failed try are told as healed', async () => {
    const r = await run('images', {
      reports: [[{ name: 'images', result: 'WARN', text: 'a: timeout' }], [pulled('a'), pulled('b')], [{ name: 'gate' }]],
    });
    expect(r.healed).toEqual(['a was pulled after a failed try']);
    expect(r.lines).toContain('! a: timeout');
    expect(r.end).toContain('gate');
  });
  it('that cannot be pulled break the step, with the image', async () => {
    const e = await broken(run('images', { reports: [[{ name: 'images', result: 'FAIL', text: 'core/etcd:3.5: not found' }]] }));
    expect(e.message).toBe(`${worker.host} cannot pull core/etcd:3.5: not found`);
    expect(e.remedy).toContain('what the host holds is not pulled again');
  });
  it('of which nothing is heard for long break it with how many are there; a finish that failed is none', async () => {
    const e = await broken(run('images', { reports: [[pulled('a')], [{ name: 'images', event: 'finish', result: 'WARN' }]] }));
    expect(e.message).toBe(`${worker.host} has not reported an image for a long time, 1 of ${of} are there`);
  });
});

describe('what a step has to say while the database is away', () => {
  const away = new Error('Connection terminated unexpectedly');
  const log = async () => Promise.reject(away);
  it('ends the step with that, and nothing is left that nobody waits for', async () => {
    const silent = () => ({
      dialer: { locate: async () => Promise.reject(new Error('no way there')) },
      host: plan.api.name,
      address: plan.api.address,
      ca: anchor,
    });
    expect(await broken(run('api', { more: { log, kube: silent } as unknown as Partial<StepContext> }))).toBe(away);
  });
});

describe('a node joins', () => {
  const node = `/api/v1/nodes/${worker.host}`;
  const state = (status: string) => ({
    metadata: { name: worker.host },
    status: { conditions: [{ type: 'Ready', status }] },
  });
  it('when the API has it as ready, and is let through first', async () => {
    objects[node] = state('True');
    const r = await run('worker');
    expect(r.end).toBe(`${worker.host} is ready`);
    expect(r.queries[0]).toMatchObject({ sql: expect.stringContaining('insert into build_gate'), values: [7, worker.host] });
    expect(r.queries[1]?.values).toContain('Gate');
  });
  it('not yet when the API knows it, and nothing can run there', async () => {
    objects[node] = state('False');
    expect((await broken(run('worker'))).message).toBe(`${worker.host} has joined and does not become ready`);
  });
  it('not yet when only its kubelet started', async () => {
    const e = await broken(run('worker', { reports: [[{ name: 'join', text: 'kubelet started' }]] }));
    expect(e.message).toBe(`${worker.host} started its kubelet and the API does not know it`);
    expect((await broken(run('worker'))).message).toBe(`${worker.host} has not started its kubelet`);
  });
  it('the first of the control plane by its own word, since no API answers yet; the second by the API', async () => {
    const said = [[{ name: 'join', text: 'kubelet started' }]];
    expect((await run('control-plane', { node: first, reports: said })).end).toBe('kubelet started');
    const second = nodes[1] as (typeof nodes)[number];
    expect((await broken(run('control-plane', { node: second, reports: said }))).message).toContain('does not know it');
  });
});

describe('a node is drained', () => {
  const node = `/api/v1/nodes/${worker.host}`;
  const at = (name: string, more: object = {}, status: object = { phase: 'Running' }) => ({
    metadata: { name, namespace: 'tides', ownerReferences: [{ kind: 'ReplicaSet' }], ...more },
    status,
  });
  const eviction = (name: string) => `/api/v1/namespaces/tides/pods/${name}/eviction`;
  const pods = (...items: object[]) => {
    objects[node] = { metadata: { name: worker.host }, status: { conditions: [{ type: 'Ready', status: 'True' }] } };
    objects['/api/v1/pods'] = { items };
  };
  const posts = () => asked.filter((a) => a.startsWith('POST'));
  it('of what can run elsewhere, and of nothing that is its own or has ended', async () => {
    const own = at('agent', { ownerReferences: [{ kind: 'DaemonSet' }] });
    const fixed = at('etcd', { annotations: { 'kubernetes.io/config.mirror': 'x' }, ownerReferences: [{ kind: 'Node' }] });
    const over = at('job', {}, { phase: 'Succeeded' });
    pods(own, fixed, over, at('web-0'));
    onAsk = (path) => {
      if (path === eviction('web-0')) pods(own, fixed, over);
    };
    const r = await run('drain');
    expect(r.end).toBe('1 pod went elsewhere');
    expect(posts()).toEqual([`POST ${eviction('web-0')}`]);
    // Nothing new comes before the first is asked to go.
    expect(asked.indexOf(`PATCH ${node}`)).toBeLessThan(asked.indexOf(`POST ${eviction('web-0')}`));
  });
  it('not past a disruption budget: the step says which pod stays, and why', async () => {
    pods(at('web-0'));
    const message = 'The disruption budget web needs 2 healthy pods and has 2 currently';
    refused[eviction('web-0')] = { code: 429, message: 'Cannot evict pod', details: { causes: [{ message }] } };
    let lines: string[] = [];
    const e = await broken(
      run('drain', {
        more: {
          log: async (text: string) => {
            lines = [...lines, text];
          },
        },
      }),
    );
    expect(e.message).toBe(`tides/web-0 stays on ${worker.host}: ${message}`);
    // By its name the page offers to go on without it.
    expect(e.code).toBe('not-drained');
    const build = { moves: { stands: [], leaves: [] }, decided: { undrained: [worker.host] } };
    expect((await run('drain', { more: { build: build as never } })).end).toBe('not drained, as was decided: 1 pod left');
    // It is asked again, and said once.
    expect(posts().length).toBeGreaterThan(1);
    expect(lines.filter((l) => l.includes(message))).toEqual([`tides/web-0 stays for now: ${message}`]);
  });
  it('told apart: a pod that was asked and does not go', async () => {
    pods(at('web-0'));
    expect((await broken(run('drain'))).message).toBe(`tides/web-0 was asked to go, and is still on ${worker.host}`);
  });
  it('a refusal for another reason breaks the step', async () => {
    pods(at('web-0'));
    refused[eviction('web-0')] = { code: 403, message: 'pods "web-0" is forbidden' };
    await expect(run('drain')).rejects.toThrow('pods "web-0" is forbidden');
  });
  it('at once when it does not answer, or the API knows it no more', async () => {
    pods(at('web-0'));
    objects[node] = { metadata: { name: worker.host }, status: { conditions: [{ type: 'Ready', status: 'Unknown' }] } };
    expect((await run('drain')).end).toContain('does not answer');
    delete objects[node];
    expect((await run('drain')).end).toBe(`the API knows no ${worker.host}: nothing runs there`);
    expect(posts()).toEqual([]);
  });
});

describe('a host is let go', () => {
  const node = `/api/v1/nodes/${worker.host}`;
  const other = nodes.filter((n) => n.role === 'worker')[1] as (typeof nodes)[number];
  const classes = [{ name: 'kept', kind: 'copies', copies: 2 }] as never as typeof plan.storage;
  const kept = { ...plan, storage: classes };
  const copy = (host: string, status: object) => ({
    spec: { volume: 'v', host },
    status: { since: new Date().toISOString(), ...status },
  });
  const filling = () => ({
    state: 'filling',
    from: worker.host,
    filled: 50,
    of: 200,
    until: new Date(Date.now() + 90_400).toISOString(),
  });
  const volumes = (spec: object, ...copies: object[]) => {
    objects[node] = { metadata: { name: worker.host }, status: { conditions: [{ type: 'Ready', status: 'True' }] } };
    objects['/api/v1/nodes'] = {
      items: nodes.map((n) => ({ metadata: { name: n.host }, status: { conditions: [{ type: 'Ready', status: 'True' }] } })),
    };
    objects['/api/v1/pods'] = { items: [] };
    objects['/api/v1/events'] = { items: [] };
    objects['/api/v1/persistentvolumes'] = { items: [{ metadata: { name: 'v' }, spec: { storageClassName: 'kept', ...spec } }] };
    objects['/api/v1/persistentvolumeclaims'] = {
      items: [{ metadata: { name: 'data', namespace: 'tides' }, spec: { volumeName: 'v' }, status: { phase: 'Bound' } }],
    };
    objects['/apis/volumes.praesidor/v1/copies'] = { items: copies };
  };
  const csi = { csi: { driver: 'volumes.praesidor' } };
  const local = {
    nodeAffinity: {
      required: {
        nodeSelectorTerms: [{ matchExpressions: [{ key: 'kubernetes.io/hostname', operator: 'In', values: [worker.host] }] }],
      },
    },
  };
  const drains = (more: object = {}) =>
    run('drain', { more: { plan: kept, build: { moves: { stands: [], leaves: [], ...more }, decided: {}, ...more } } as never });
  const leaves = { leaves: [worker.host] };
  it('for a while when another host has all that is there, and not before', async () => {
    volumes(csi, copy(worker.host, { state: 'current' }), copy(other.host, filling()));
    const e = await broken(drains());
    expect([e.message, e.code]).toEqual([
      expect.stringMatching(
        new RegExp(
          `^tides/data has its only whole copy on ${worker.host}; ${other.host} rebuilds from ${worker.host}, 25 % done, 1 min \\d+ s left$`,
        ),
      ),
      'only-here',
    ]);
    // Nothing was asked to go meanwhile.
    expect(asked.filter((a) => a.startsWith('PATCH'))).toEqual([]);
    volumes(csi, copy(worker.host, { state: 'current' }), copy(other.host, { state: 'current' }));
    expect((await drains()).end).toBe('no pods to move');
    volumes(csi, copy(worker.host, { state: 'behind' }), copy(other.host, { state: 'strange' }));
    expect((await drains()).end).toBe('no pods to move');
  });
  it('for good when all copies are whole elsewhere', async () => {
    volumes(csi, copy(worker.host, { state: 'current' }), copy(other.host, { state: 'current' }));
    expect((await broken(drains(leaves))).message).toBe('tides/data has 1 of 2 copies elsewhere');
    const [a, b] = nodes.filter((n) => n.role === 'worker' && n !== worker);
    volumes(
      csi,
      copy(worker.host, { state: 'current' }),
      copy(a?.host ?? '', { state: 'current' }),
      copy(b?.host ?? '', { state: 'current' }),
    );
    expect((await drains(leaves)).end).toBe('no pods to move');
  });
  it('for good when nothing lies there alone, or somebody decided so', async () => {
    volumes(local);
    expect((await drains()).end).toBe('no pods to move');
    const e = await broken(drains(leaves));
    expect([e.message, e.code]).toEqual([`tides/data lies on ${worker.host} alone`, 'only-here']);
    // Nobody waits for what does not come by itself: it is said at once what a person can do.
    expect(e.remedy).toContain('Back it up and give it back');
    expect((await drains({ ...leaves, decided: { unkept: [worker.host] } })).end).toBe('no pods to move');
  });
  it('by an API that does not say so: then it is said that it does not', async () => {
    volumes(csi);
    delete objects['/api/v1/persistentvolumes'];
    refused = {};
    const gone = {
      more: {
        plan: kept,
        kube: () => ({
          dialer: { locate: async () => ({ host: '127.0.0.1', port: 1, address: '127.0.0.1' }) },
          host: plan.api.name,
          address: plan.api.address,
          ca: anchor,
          certificate: pair.cert,
          key: pair.key,
        }),
      },
    };
    const e = await broken(run('drain', gone as never));
    expect([e.code, e.remedy]).toEqual(['not-drained', expect.stringContaining('See why the API does not answer')]);
  });
});

/** The same with an inbound router among its add-ons. */
const routed = withAddon(estate, 'inbound-router');
const withRouter = { ...kit, estate: routed, plan: resolve(routed.charters[0] as Charter, routed) };
let shift = 0;

describe('the cluster comes up', () => {
  const endpoints = '/api/v1/namespaces/default/endpoints/kubernetes';
  const members = (n: number) => ({ subsets: [{ addresses: nodes.slice(0, n).map((x) => ({ ip: x.address })) }] });
  const conditions = (status: string) => ({ status: { conditions: [{ type: 'Ready', status }] } });
  it('when its API answers with its version', async () => {
    expect((await broken(run('api'))).message).toBe(`${plan.api.name} does not answer at ${plan.api.address}`);
    objects['/version'] = { gitVersion: 'v1.34.2' };
    expect((await run('api')).end).toBe(`${plan.api.name} answers as v1.34.2`);
  });
  it('with a quorum when all of its members serve, and not with fewer', async () => {
    objects[endpoints] = members(2);
    expect((await broken(run('quorum'))).message).toBe('2 of 3 control-plane members serve the API');
    objects[endpoints] = members(3);
    expect((await run('quorum')).end).toBe('3 of 3 members');
  });
  it('with its pod network when as many nodes are ready as it has members, after its objects were given', async () => {
    const list = (ready: number) => ({
      items: nodes.slice(0, 3).map((n, i) => ({ metadata: { name: n.host }, ...conditions(i < ready ? 'True' : 'False') })),
    });
    objects['/api/v1/nodes'] = list(2);
    expect((await broken(run('pod-network'))).message).toBe('the pod network does not come up on the control plane');
    // Why, as the API, the kubelet or the runtime says it.
    const events = '/api/v1/namespaces/kube-system/events';
    const pods = '/api/v1/namespaces/kube-system/pods';
    objects[events] = { items: [{ reason: 'FailedCreate', message: 'serviceaccount "pod-network" not found' }] };
    const said = async () => (await broken(run('pod-network'))).message;
    expect(await said()).toMatch(/on the control plane: FailedCreate: serviceaccount "pod-network" not found$/);
    objects[pods] = {
      items: [
        {
          metadata: { name: 'a' },
          spec: { nodeName: 'lr-01' },
          status: { containerStatuses: [{ state: { waiting: { reason: 'ContainerCreating' } } }] },
        },
        {
          metadata: { name: 'b' },
          spec: { nodeName: 'lr-02' },
          status: { containerStatuses: [{ state: { waiting: { reason: 'ErrImagePull', message: 'not found' } } }] },
        },
      ],
    };
    expect(await said()).toMatch(/on the control plane: b on lr-02: ErrImagePull, not found$/);
    objects['/api/v1/nodes'] = list(3);
    const r = await run('pod-network');
    expect(r.end).toBe('3 nodes ready');
    expect(r.lines).toContain('applied DaemonSet pod-network');
    // No node may give itself a role: the build does.
    for (const n of nodes.slice(0, 3)) expect(asked).toContain(`PATCH /api/v1/nodes/${n.host}`);
    expect(r.lines).toContain(`labelled ${first.host} as control plane`);
    expect(asked.filter((a) => a.startsWith('PATCH')).length).toBeGreaterThan(2);
  });
  it('with all its programs, and an inbound address that takes connections: whatever lacks is named with why', async () => {
    const dialer = new Dialer(inboundFrom(0), async () => '127.0.0.1');
    const given = (d: Dialer, k = withRouter) => ({ more: { kit: k, ctx: { db: none, dialer: d } } as never });
    runs(kit, 6);
    expect((await run('inbound', given(dialer, kit))).end).toBe('all programs run; this charter has no inbound router');
    runs(withRouter, 6);
    objects[programPath('Deployment', 'inbound-router')] = { spec: { replicas: 2 }, status: { readyReplicas: 1 } };
    objects['/api/v1/namespaces/kube-system/pods'] = {
      items: [
        {
          metadata: { name: 'inbound-router-1' },
          status: { conditions: [{ type: 'PodScheduled', status: 'False', message: '0/6 nodes are available' }] },
        },
      ],
    };
    expect((await broken(run('inbound', given(dialer)))).message).toBe(
      'inbound-router runs 1 of 2: inbound-router-1 waits for a node: 0/6 nodes are available',
    );
    // All of them run, and nobody answers at the address.
    runs(withRouter, 6);
    const free = await freePort();
    const closed = await broken(run('inbound', given(new Dialer(inboundFrom(free - 443), async () => ''))));
    expect(closed.message).toMatch(/^nobody takes connections at 10\.62\.8\.\d+: 10\.62\.8\.\d+:443: nothing listens there$/);
    const listener = createNet((c) => c.end()).listen(free, seenHere(plan.inbound.address));
    await once(listener, 'listening');
    const open = await run('inbound', given(new Dialer(inboundFrom(free - 443), async () => '')));
    listener.close();
    expect(open.end).toBe(`inbound at ${plan.inbound.address}, which takes connections`);
  });
});

const none = { manager: { query: async () => [] } };
/** Addresses of the room as they are reached here: on loopback, ports moved. */
const inboundFrom = (shift: number) =>
  new Exits(parseAddressMap(`10.0.0.0/8=127.0.0.0/8${shift > 0 ? `+${shift}` : ''}`), anywhere);
const seenHere = (address: string) => address.replace(/^10\./, '127.');
const programPath = (kind: string, name: string) => `/apis/apps/v1/namespaces/kube-system/${kind.toLowerCase()}s/${name}`;
/** The cluster says that every program of a kit runs on so many nodes. */
function runs(of: typeof kit, on: number): void {
  for (const p of programsOf(of))
    objects[programPath(p.kind, p.name)] =
      p.kind === 'DaemonSet'
        ? { status: { desiredNumberScheduled: on, numberReady: on } }
        : { spec: { replicas: 2 }, status: { readyReplicas: 2 } };
}

describe('the proof', () => {
  const dir = mkdtempSync(join(tmpdir(), 'proof-'));
  afterAll(() => {
    rmSync(dir, { recursive: true, force: true });
  });
  const registries: Server[] = [];
  afterEach(() => {
    for (const r of registries.splice(0)) r.close();
  });
  let ca: Pair;
  beforeAll(async () => {
    ca = await makeCertificate({ commonName: 'CA', isCa: true });
  });
  /** A registry with a pull log, from which the given nodes pulled those images. */
  async function mirror(name: string, pulls: { host: string; images: string[]; status?: number }[]): Promise<Registry> {
    const store = await new Store(join(dir, `${name}-${registries.length}-${Math.random()}`)).open();
    const own = await makeCertificate({ commonName: name, addresses: ['127.0.0.1'], ca });
    const r = createRegistry({ store, tls: own }) as Server;
    await new Promise<void>((done) => r.listen(0, '127.0.0.1', done));
    registries.push(r);
    for (const p of pulls)
      for (const image of p.images) {
        const [repository, reference] = image.slice(image.indexOf('/') + 1).split(':') as [string, string];
        await store.logPull({
          at: '2026-11-23T10:00:00Z',
          client: `::ffff:${nodes.find((n) => n.host === p.host)?.address}`,
          user: '',
          agent: 'container-runtime',
          kind: 'manifest',
          repository,
          reference,
          digest: `sha256:${'0'.repeat(64)}`,
          status: p.status ?? 200,
        });
      }
    const { port } = r.address() as AddressInfo;
    return { ...(plan.mirror as Registry), name, endpoint: `127.0.0.1:${port}`, ca: ca.cert, credential: undefined } as Registry;
  }
  const whole = () => nodes.map((n) => ({ host: n.host, images: imagesOf(kit, n) }));
  const controlPlane = nodes.filter((n) => n.role === 'control-plane').map((n) => n.address);
  /** The cluster as planned. */
  function stands(): Cluster {
    const c: Cluster = {
      nodes: {
        items: nodes.map((n) => ({
          metadata: {
            name: n.host,
            labels: n.role === 'control-plane' ? { 'node-role.kubernetes.io/control-plane': '' } : {},
          },
          status: { conditions: [{ type: 'Ready', status: 'True' }], nodeInfo: { kubeletVersion: 'v1.34.2' } },
        })),
      },
      agents: { status: { desiredNumberScheduled: nodes.length, numberReady: nodes.length } },
      members: { subsets: [{ addresses: controlPlane.map((ip) => ({ ip })) }] },
      leases: {
        items: nodes.map((n) => ({
          metadata: { name: n.host },
          spec: { leaseDurationSeconds: 40, renewTime: new Date(Date.now() - 9000).toISOString() },
        })),
      },
    };
    objects['/apis/coordination.k8s.io/v1/namespaces/kube-node-lease/leases'] = c.leases;
    runs(kit, nodes.length);
    objects['/api/v1/nodes'] = c.nodes;
    objects['/apis/apps/v1/namespaces/kube-system/daemonsets/pod-network'] = c.agents;
    objects['/api/v1/namespaces/default/endpoints/kubernetes'] = c.members;
    return c;
  }
  /** Who shows another one. */
  let swapped = '';
  /** Members of the control plane at their own addresses, each with the certificate that it was given. */
  const shows = (dialer: Dialer) =>
    Object.assign(Object.create(dialer) as Dialer, {
      certificate: async ({ host }: { host: string }) => {
        const cert = host === swapped ? ca.cert : pair.cert;
        const { raw, validTo } = new X509Certificate(cert);
        return { fingerprint: fingerprintOf(raw), notAfter: new Date(validTo).toISOString(), trusted: host !== swapped };
      },
    });
  /** Lines of a proof, without names, which the suites with name servers measure. */
  async function proved(
    at: Registry,
    source?: Registry,
    given = kit,
    begun = async () => [{ since: '2026-11-23T09:00:00Z' }],
  ): Promise<{ lines: Proof[]; failed?: StepFailure }> {
    let failed: StepFailure | undefined;
    const dialer = new Dialer(inboundFrom(shift), async () => '127.0.0.1');
    const queries: { sql: string; values: unknown[] }[] = [];
    const manager = {
      query: async (sql: string, values: unknown[]) => {
        queries.push({ sql, values });
        return sql.includes('min(data') ? begun() : [];
      },
      find: async () => [],
    };
    const mirrored = { ...given.plan, mirror: at, reservations: [], site: undefined };
    await run('proof', {
      more: {
        ctx: {
          db: { manager, transaction: async (_: string, act: (m: unknown) => unknown) => act(manager) },
          dialer: shows(dialer),
          config: { addressMap: [] },
        },
        plan: mirrored,
        kit: { ...given, plan: mirrored, secret: (n: string) => (n === 'apiserver.crt' ? pair.cert : given.secret(n)) },
        estate: { ...estate, registries: source ? [{ ...source, role: 'source' }] : [] },
      } as never,
    }).catch((e: unknown) => {
      failed = e as StepFailure;
    });
    const kept = queries.find((q) => q.sql.startsWith('update build set proof'));
    if (!kept) throw failed;
    return { lines: JSON.parse(kept.values[1] as string) as Proof[], ...(failed ? { failed } : {}) };
  }
  const of = (lines: Proof[], what: string) => lines.find((l) => l.what === what);
  const images = nodes.reduce((n, x) => n + imagesOf(kit, x).length, 0);

  it('ends with that when the database goes away on its way: that is no finding, and is not measured again', async () => {
    stands();
    const away = new Error('Connection terminated unexpectedly');
    const asked: string[] = [];
    const begun = async () => {
      asked.push('begun');
      throw away;
    };
    await expect(proved(await mirror('m', whole()), undefined, kit, begun)).rejects.toBe(away);
    expect(asked).toEqual(['begun']);
  });
  it('holds where everything is as planned, with what it saw', async () => {
    stands();
    const { lines, failed } = await proved(await mirror('m', whole()), await mirror('s', []));
    // There is no resolver here: what nobody was asked is not proved.
    expect(failed?.message).toMatch(
      /^1 of \d+ proofs fail: names resolve forward and back \(planned at least one, found none\)$/,
    );
    expect(lines.every((l) => l.at && l.good === (l.what !== 'names resolve forward and back'))).toBe(true);
    expect(of(lines, 'nodes ready')).toMatchObject({ found: '6 of 6', evidence: nodes.map((n) => `${n.host} ready`) });
    expect(of(lines, 'images pulled from the mirror')).toMatchObject({ found: `${images} of ${images}` });
    expect(of(lines, 'pulls from outside')).toMatchObject({ planned: '0', found: '0' });
  });
  it.each<[string, string, string, (c: Cluster) => unknown]>([
    [
      'a node is not ready',
      'nodes ready',
      '5 of 6',
      (c) => Object.assign(c.nodes.items[4]?.status.conditions[0] ?? {}, { status: 'False' }),
    ],
    [
      'a node is too many',
      'nodes ready',
      '7 of 7',
      (c) => c.nodes.items.push({ ...(c.nodes.items[5] as Node), metadata: { name: 'x', labels: {} } }),
    ],
    [
      'a clock is ten minutes ahead',
      'clocks of the nodes',
      '5 of 6',
      (c) => Object.assign(c.leases.items[4]?.spec ?? {}, { renewTime: new Date(Date.now() + 600_000).toISOString() }),
    ],
    [
      'a clock is ten minutes behind',
      'clocks of the nodes',
      '5 of 6',
      (c) => Object.assign(c.leases.items[1]?.spec ?? {}, { renewTime: new Date(Date.now() - 600_000).toISOString() }),
    ],
    ['a kubelet writes no stamps', 'clocks of the nodes', '5 of 6', (c) => c.leases.items.shift()],
    [
      'a node has another version',
      'versions of the nodes',
      '1.33, 1.34',
      (c) => Object.assign(c.nodes.items[3]?.status.nodeInfo ?? {}, { kubeletVersion: 'v1.33.6' }),
    ],
    ['an agent is away', 'agents of the pod network', '5', (c) => Object.assign(c.agents.status, { numberReady: 5 })],
    [
      'a program is away',
      'programs of the cluster run',
      `${programsOf(kit).length - 1} of ${programsOf(kit).length}`,
      () => {
        objects[programPath('DaemonSet', 'kube-proxy')] = { status: { desiredNumberScheduled: 6, numberReady: 5 } };
      },
    ],
    [
      'a member is away',
      'members behind the API address',
      controlPlane.slice(1).sort().join(', '),
      (c) => c.members.subsets[0]?.addresses.shift(),
    ],
  ])('fails where %s: %s are %s', async (_, what, found, change) => {
    change(stands());
    const { lines, failed } = await proved(await mirror('m', whole()));
    expect(of(lines, what)).toMatchObject({ good: false, found });
    expect(failed?.message).toContain(`${what} (planned`);
    expect(failed?.remedy).toContain('everything is measured again');
  });
  it('fails where nobody takes connections at the inbound address', async () => {
    stands();
    runs(withRouter, 6);
    const inbound = async () => of((await proved(await mirror('m', whole()), undefined, withRouter)).lines, 'inbound address');
    expect(await inbound()).toMatchObject({ good: false, found: expect.stringContaining('nothing listens there') });
    const port = await freePort();
    const listener = createNet((c) => c.end()).listen(port, seenHere(plan.inbound.address));
    await once(listener, 'listening');
    shift = port - 443;
    expect(await inbound()).toMatchObject({ good: true, evidence: [`TCP ${plan.inbound.address}:443`] });
    listener.close();
    shift = 0;
  });
  it('fails where a member shows a certificate of another authority', async () => {
    stands();
    swapped = controlPlane[1] ?? '';
    const { lines } = await proved(await mirror('m', whole()));
    swapped = '';
    expect(of(lines, 'certificates of the API are of its authority')).toMatchObject({ good: false, found: '2 of 3' });
  });
  it('waits for what comes right by itself, and puts down what it was then', async () => {
    const c = stands();
    const late = c.nodes.items[4]?.status.conditions[0] as { status: string };
    late.status = 'False';
    const at = await mirror('m', whole());
    // Ready when it is asked for the second time.
    onAsk = (path) => {
      if (path === '/api/v1/nodes' && asked.filter((a) => a.endsWith(path)).length === 2) late.status = 'True';
    };
    const { lines, failed } = await proved(at);
    expect(failed?.message).not.toContain('nodes ready');
    expect(of(lines, 'nodes ready')?.found).toBe('6 of 6');
  });
  it('fails where a worker took the role of another', async () => {
    (stands().nodes.items[5] as Node).metadata.labels = { 'node-role.kubernetes.io/control-plane': '' };
    expect(of((await proved(await mirror('m', whole()))).lines, 'roles')?.good).toBe(false);
  });
  it('fails where one image of a node did not come from the mirror, was refused there, or came from outside', async () => {
    stands();
    const [one, ...others] = whole() as [ReturnType<typeof whole>[number], ...ReturnType<typeof whole>];
    const line = async (at: Registry) => of((await proved(at)).lines, 'images pulled from the mirror')?.found;
    expect(await line(await mirror('m', [{ ...one, images: one.images.slice(1) }, ...others]))).toBe(
      `${images - 1} of ${images}`,
    );
    expect(await line(await mirror('m', [{ ...one, status: 404 }, ...others]))).toBe(
      `${images - one.images.length} of ${images}`,
    );
    const outside = await proved(
      await mirror('m', whole()),
      await mirror('s', [{ host: one.host, images: one.images.slice(0, 2) }]),
    );
    expect(of(outside.lines, 'pulls from outside')).toMatchObject({ good: false, found: '2' });
  });
});
