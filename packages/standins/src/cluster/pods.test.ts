import { describe, expect, it } from 'vitest';
import { resolve } from '@praesidor/core/charter';
import { bootKit, clusterObjects, type KitContext, placeholder } from '@praesidor/core/files';
import type { Charter } from '@praesidor/core/model';
import { goodEstate, withAddon } from '../../../core/test/estate.ts';
import { imagesOf } from '@praesidor/core/files';
import { type KubeObject, named, refusal } from './kinds.ts';
import { type NodeState, podsOf, type State } from './pods.ts';

/** A cluster of six nodes to which the objects of a kit were given, an hour ago. */
const estate = withAddon(goodEstate(), 'inbound-router', 'inbound-check');
const ctx: KitContext = {
  estate,
  plan: resolve(estate.charters[0] as Charter, estate),
  secret: placeholder('plover'),
  installation: 'build 1',
  bootUrl: (h) => `http://praesidor.example/boot/${h}`,
  reportUrl: (h) => `http://praesidor.example/report/${h}`,
};
const given = () => structuredClone(clusterObjects(ctx).flatMap((s) => s.objects)) as unknown as KubeObject[];
const kit = bootKit(ctx);
const nodes: NodeState[] = ctx.plan.nodes.map((n) => ({
  name: n.host,
  address: n.address,
  files: Object.fromEntries(
    kit.flatMap((f) => {
      const path = f.path.startsWith(`hosts/${n.host}/root`) ? f.path.slice(`hosts/${n.host}/root`.length) : '';
      return path ? [[path, f.content]] : [];
    }),
  ),
  images: imagesOf(ctx, n),
  since: 0,
  taints: n.role === 'control-plane' ? [{ key: 'node-role.kubernetes.io/control-plane', effect: 'NoSchedule' }] : [],
}));
const cluster = (objects: KubeObject[], more: Partial<Parameters<typeof podsOf>[0]> = {}): State =>
  podsOf({ nodes, objects, allowPrivileged: true, apiNames: [ctx.plan.api.name], age: () => 3600, givenAt: () => 0, ...more });
const find = (objects: KubeObject[], kind: string, name: string) =>
  objects.find((o) => o.kind === kind && o.metadata.name === name) as KubeObject;
/** Programs that do not run everywhere where they are to, each with why its first pod does not. */
const lacks = (s: State) => [
  ...s.refused.map((r) => `${r.owner.metadata.name}: ${r.message}`),
  ...[...new Map(s.pods.filter((p) => !p.ready).map((p) => [p.owner.metadata.name, p])).values()].map(
    (p) => `${p.owner.metadata.name}: ${p.reason}, ${p.message}`,
  ),
];

describe('a cluster', () => {
  it('runs what the kit gives it: on every node, and two of each on workers', () => {
    const s = cluster(given());
    expect(lacks(s)).toEqual([]);
    const count = (name: string) => s.pods.filter((p) => p.owner.metadata.name === name).length;
    expect(['pod-network', 'kube-proxy', 'cluster-dns', 'inbound-router'].map(count)).toEqual([6, 6, 2, 2]);
    const workers = ctx.plan.nodes.filter((n) => n.role === 'worker').map((n) => n.host);
    expect(s.pods.filter((p) => p.owner.kind === 'Deployment').every((p) => workers.includes(p.node ?? ''))).toBe(true);
    expect(s.ready.size).toBe(6);
  });
  it('takes its time: nodes are ready half a minute after their network came', () => {
    expect(cluster(given(), { age: () => 10 }).ready.size).toBe(0);
    expect(cluster(given(), { age: () => 20 }).proxied.size).toBe(6);
    expect(cluster(given(), { age: () => 20 }).ready.size).toBe(0);
  });

  const drop = (kind: string, name: string) => (o: KubeObject[]) => o.filter((x) => x.kind !== kind || x.metadata.name !== name);
  const pod = (kind: string, name: string, change: (spec: never) => void) => (o: KubeObject[]) => {
    change(find(o, kind, name).spec.template.spec as never);
    return o;
  };
  type Spec = {
    containers: { command?: string[]; volumeMounts: { mountPath: string }[] }[];
    initContainers?: unknown;
    tolerations?: unknown;
    nodeSelector?: Record<string, string>;
    volumes: { name: string; hostPath?: { path: string } }[];
  };
  it.each<[string, (o: KubeObject[]) => KubeObject[], RegExp, Partial<Parameters<typeof podsOf>[0]>?]>([
    [
      'no account',
      drop('ServiceAccount', 'pod-network'),
      /^pod-network: error looking up service account kube-system\/pod-network/,
    ],
    [
      'no role for it',
      drop('ClusterRoleBinding', 'kit:pod-network'),
      /^pod-network: CrashLoopBackOff, nodes is forbidden: User "system:serviceaccount:kube-system:pod-network"/,
    ],
    [
      'a role that lacks a right',
      (o) => {
        (find(o, 'ClusterRole', 'kit:cluster-dns').rules as { resources: string[] }[]).pop();
        return o;
      },
      /^cluster-dns: CrashLoopBackOff, endpointslices is forbidden/,
    ],
    ['no settings', drop('ConfigMap', 'cluster-dns'), /^cluster-dns: FailedMount, .*configmap "cluster-dns" not found/],
    [
      'an API server that lets nobody set up a node',
      (o) => o,
      /privileged: forbidden: disallowed by cluster policy/,
      { allowPrivileged: false },
    ],
    [
      'a proxy without its file',
      pod('DaemonSet', 'kube-proxy', (s: Spec) => {
        s.containers[0]!.command = ['kube-proxy', '--cluster-cidr=10.0.0.0/8'];
      }),
      /^kube-proxy: CrashLoopBackOff, invalid configuration/,
    ],
    [
      'a proxy without a way to the API',
      (o) => {
        delete find(o, 'ConfigMap', 'kube-proxy').data?.kubeconfig;
        return o;
      },
      /^kube-proxy: CrashLoopBackOff, stat .*kubeconfig: no such file/,
    ],
    [
      'a proxy that asks under another name',
      (o) => o,
      /^kube-proxy: CrashLoopBackOff, x509: certificate is valid for other\.example, not kube\.plover/,
      { apiNames: ['other.example'] },
    ],
    [
      'a network that lays nothing where the runtime looks',
      pod('DaemonSet', 'pod-network', (s: Spec) => {
        for (const v of s.volumes) if (v.hostPath?.path === '/etc/cni/net.d') v.hostPath.path = '/etc/cni/elsewhere';
      }),
      /^cluster-dns: Unschedulable, 0\/6 nodes are available/,
    ],
    [
      'a network that may only read there',
      pod('DaemonSet', 'pod-network', (s: Spec) => {
        for (const c of [...s.containers, ...((s.initContainers ?? []) as Spec['containers'])])
          for (const m of c.volumeMounts) if (m.mountPath === '/host/cni/net.d') (m as { readOnly?: boolean }).readOnly = true;
      }),
      /^cluster-dns: Unschedulable/,
    ],
    [
      'no network, on any node',
      drop('DaemonSet', 'pod-network'),
      /^inbound-check: NetworkNotReady, container runtime network not ready/,
    ],
    [
      'a role that may get and not list',
      (o) => {
        for (const r of find(o, 'ClusterRole', 'kit:pod-network').rules as { verbs: string[] }[]) r.verbs = ['get'];
        return o;
      },
      /^pod-network: CrashLoopBackOff, nodes is forbidden/,
    ],
    [
      'a network that tolerates nothing',
      pod('DaemonSet', 'pod-network', (s: Spec) => {
        s.tolerations = [];
      }),
      /^$/,
    ],
    [
      'an image that is not on the node',
      (o) => o,
      /^inbound-router: ErrImagePull, .*inbound-router:1\.12\.0 is not on the node/,
      {
        nodes: nodes.map((n) => ({ ...n, images: n.images.filter((i) => !i.includes('inbound-router')) })),
      },
    ],
    ['nothing but tainted nodes', (o) => o, /^cluster-dns: Unschedulable/, { nodes: nodes.slice(0, 3) }],
    [
      'a wish for a node that nobody is',
      pod('Deployment', 'cluster-dns', (s: Spec) => {
        s.nodeSelector = { sea: 'deep' };
      }),
      /^cluster-dns: Unschedulable, 0\/6 nodes are available: 6 node\(s\) didn't match Pod's node affinity\/selector$/,
    ],
  ])('with %s it does not', (_, change, why, more) => {
    const s = cluster(change(given()), more);
    const said = lacks(s);
    if (why.source === '^$') {
      // It runs on workers, and the control plane never becomes ready.
      expect([...s.ready].sort()).toEqual(nodes.slice(3).map((n) => n.name));
      return;
    }
    expect(
      said.find((l) => why.test(l)),
      said.join('\n'),
    ).toBeDefined();
  });
});

describe('the API', () => {
  const path = '/apis/apps/v1/namespaces/kube-system/daemonsets/pod-network';
  const at = { namespace: 'kube-system', name: 'pod-network' };
  it('knows what a path names', () => {
    expect(named(path)).toEqual({ kind: 'DaemonSet', group: 'apps', resource: 'daemonsets', ...at });
    expect(named('/api/v1/nodes')).toEqual({ kind: 'Node', group: '', resource: 'nodes' });
    expect(named('/api/v1/daemonsets')).toBeUndefined();
    expect(named('/apis/apps/v1/namespaces/a/nodes')).toBeUndefined();
  });
  it.each<[string, (o: KubeObject) => void, RegExp]>([
    [
      'another name than its path',
      (o) => {
        o.metadata.name = 'x';
      },
      /does not match the name on the URL/,
    ],
    [
      'another namespace',
      (o) => {
        o.metadata.namespace = 'default';
      },
      /does not match the one on the URL/,
    ],
    [
      'a wrong type in a field',
      (o) => {
        o.spec.template.spec.hostNetwork = 'yes';
      },
      /hostNetwork must be boolean/,
    ],
    [
      'a field that is missing',
      (o) => {
        delete o.spec.template.spec.containers;
      },
      /must have required property/,
    ],
    [
      'a selector that finds other pods',
      (o) => {
        o.spec.selector.matchLabels = { app: 'x' };
      },
      /does not match template/,
    ],
    [
      'a mount of nothing',
      (o) => {
        o.spec.template.spec.volumes.pop();
      },
      /volumeMounts: not found/,
    ],
    [
      'two containers of one name',
      (o) => {
        o.spec.template.spec.containers.push(o.spec.template.spec.containers[0]);
      },
      /two containers have one name/,
    ],
  ])('refuses %s', (_, change, why) => {
    const o = structuredClone(find(given(), 'DaemonSet', 'pod-network'));
    expect(refusal('DaemonSet', o, at)).toBeUndefined();
    change(o);
    expect(refusal('DaemonSet', o, at)).toMatch(why);
  });
  it('takes every object of the kit', () => {
    for (const o of given())
      expect([
        o.metadata.name,
        refusal(o.kind, o, { name: o.metadata.name, ...(o.metadata.namespace ? { namespace: o.metadata.namespace } : {}) }),
      ]).toEqual([o.metadata.name, undefined]);
  });
});

it('a pod goes where its labels wish, and nowhere else', () => {
  const objects = given();
  find(objects, 'Deployment', 'cluster-dns').spec.template.spec.nodeSelector = { sea: 'deep' };
  const s = cluster(objects, { nodes: nodes.map((n, k) => (k === 4 ? { ...n, labels: { sea: 'deep' } } : n)) });
  const pods = s.pods.filter((p) => p.owner.metadata.name === 'cluster-dns');
  expect(pods.map((p) => [p.node, p.ready])).toEqual(pods.map(() => [nodes[4]?.name, true]));
  expect(pods.length).toBeGreaterThan(0);
});
