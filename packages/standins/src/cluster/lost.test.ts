import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest';
import { clusterObjects, imagesOf, bootKit, type KitContext, placeholder } from '@praesidor/core/files';
import { resolve } from '@praesidor/core/charter';
import type { Charter } from '@praesidor/core/model';
import { goodEstate, withAddon } from '../../../core/test/estate.ts';
import type { KubeObject } from './kinds.ts';
import { Placed } from './placed.ts';
import { type NodeState, ownClaims, podsOf, type State } from './pods.ts';
import { Published } from './published.ts';

/** A cluster of six nodes whose clock is a number of seconds, of which one falls silent at 10,000. */
const estate = withAddon(goodEstate(), 'inbound-router', 'inbound-check');
const ctx: KitContext = {
  estate,
  plan: resolve(estate.charters[0] as Charter, estate),
  secret: placeholder('plover'),
  installation: 'build 1',
  bootUrl: (h) => h,
  reportUrl: (h) => h,
};
const given = structuredClone(clusterObjects(ctx).flatMap((s) => s.objects)) as unknown as KubeObject[];
const kit = bootKit(ctx);
const silent = 10_000;
const image = imagesOf(ctx, ctx.plan.nodes[4] as never)[0] as string;
const nodesAt = (lost: string | undefined, since = 0): NodeState[] =>
  ctx.plan.nodes.map((n) => ({
    name: n.host,
    address: n.address,
    files: Object.fromEntries(
      kit.flatMap((f) =>
        f.path.startsWith(`hosts/${n.host}/root`) ? [[f.path.slice(`hosts/${n.host}/root`.length), f.content]] : [],
      ),
    ),
    images: imagesOf(ctx, n),
    since: n.host === lost ? since : 0,
    taints: n.role === 'control-plane' ? [{ key: 'node-role.kubernetes.io/control-plane', effect: 'NoSchedule' }] : [],
    ...(n.host === lost && !since ? { away: silent } : {}),
  }));
const work = (kind: string, spec: object = {}): KubeObject => ({
  apiVersion: 'apps/v1',
  kind,
  metadata: { name: 'archive', namespace: 'default' },
  spec: { replicas: 1, template: { metadata: { labels: {} }, spec: { containers: [{ name: 'a', image }] } }, ...spec },
});
/** What its pod is after so many seconds: asked only then. */
const course = (object: KubeObject, more: KubeObject[] = [], timers = { grace: 50, tolerate: 300 }) => {
  const placed = new Placed();
  const at = (now: number, lost?: string, since?: number) => {
    const state = podsOf({
      nodes: nodesAt(lost, since),
      objects: [...given, ...more, object],
      placed,
      timers,
      allowPrivileged: true,
      apiNames: [ctx.plan.api.name],
      age: (from) => now - from,
      after: (from, s) => from + s,
      givenAt: () => 0,
    });
    const pod = state.pods.find((p) => p.owner === object);
    return pod && { node: pod.node, ready: pod.ready, turned: pod.turned, reason: pod.reason };
  };
  const node = at(silent - 1)?.node as string;
  return {
    node,
    after: (s: number) => at(silent + s, node),
    back: (s: number, since: number) => at(silent + s, node, silent + since),
  };
};
const claim = (storageClassName: string): KubeObject[] => [
  { apiVersion: 'storage.k8s.io/v1', kind: 'CSIDriver', metadata: { name: 'store.example' }, spec: {} },
  { apiVersion: 'storage.k8s.io/v1', kind: 'StorageClass', metadata: { name: 'kept' }, provisioner: 'store.example' },
  {
    apiVersion: 'v1',
    kind: 'PersistentVolumeClaim',
    metadata: { name: 'data', namespace: 'default' },
    spec: { resources: { requests: { storage: '1Gi' } }, accessModes: ['ReadWriteOnce'], storageClassName },
  },
];
const withClaim = (kind: string) =>
  work(kind, {
    template: {
      metadata: { labels: {} },
      spec: { containers: [{ name: 'a', image }], volumes: [{ name: 'data', persistentVolumeClaim: { claimName: 'data' } }] },
    },
  });

// What is put somewhere at once is put there at the beginning.
beforeAll(() => void vi.useFakeTimers({ now: 0 }));
afterAll(() => void vi.useRealTimers());

describe('a pod on a node that falls silent', () => {
  it('is said to be ready until the node counts as lost, and is made elsewhere when it has waited as long as it tolerates', () => {
    const { node, after } = course(work('Deployment'));
    expect(after(49)).toMatchObject({ node, ready: true });
    expect(after(50)).toMatchObject({ node, ready: false, turned: silent + 50, reason: 'NodeLost' });
    expect(after(349)).toMatchObject({ node, ready: false });
    expect([after(350)?.node === node, after(364)?.ready]).toEqual([false, false]);
    // 50 + 300 s, and 15 until it runs, however late somebody asks.
    expect(after(4000)).toMatchObject({ ready: true, turned: silent + 365 });
  });
  it('waits for as long as the control plane was told, or as it says itself', () => {
    const told = course(work('Deployment'), [], { grace: 20, tolerate: 30 });
    expect([told.after(49)?.node === told.node, told.after(50)?.node === told.node]).toEqual([true, false]);
    const own = course(
      work('Deployment', {
        template: {
          metadata: { labels: {} },
          spec: {
            containers: [{ name: 'a', image }],
            tolerations: [
              { key: 'node.kubernetes.io/unreachable', operator: 'Exists', effect: 'NoExecute', tolerationSeconds: 5 },
            ],
          },
        },
      }),
    );
    expect([own.after(54)?.node === own.node, own.after(55)?.node === own.node]).toEqual([true, false]);
  });
  it('with a volume that one node has waits six minutes more, until that is taken from it', () => {
    const { after } = course(withClaim('Deployment'), claim('kept'));
    expect([after(710 + 14)?.ready, after(710 + 15)?.ready]).toEqual([false, true]);
  });
  it('of a StatefulSet is made nowhere else, and runs again when its node is back', () => {
    const { node, after, back } = course(work('StatefulSet'));
    expect(after(100_000)).toMatchObject({ node, ready: false });
    expect(back(100_014, 100_000)).toMatchObject({ node, ready: false });
    expect(back(100_045, 100_000)).toMatchObject({ node, ready: true });
  });
});

describe('a StatefulSet', () => {
  it('has a claim of its own for each pod, and no pod whose claim is not there', () => {
    const set = work('StatefulSet', {
      replicas: 2,
      volumeClaimTemplates: [{ metadata: { name: 'data' }, spec: { accessModes: ['ReadWriteOnce'] } }],
    });
    expect([0, 1].map((i) => ownClaims(set, i).map((c) => c.claim))).toEqual([['data-archive-0'], ['data-archive-1']]);
    expect(course(set).after(1)).toMatchObject({ node: undefined, reason: 'Unschedulable' });
    expect(ownClaims({ ...set, kind: 'Deployment' }, 0)).toEqual([]);
  });
});

describe('the node that answers for an address', () => {
  const objects: KubeObject[] = [
    {
      apiVersion: 'v1',
      kind: 'ConfigMap',
      metadata: { name: 'service-announcer' },
      data: { range: '10.62.8.70-10.62.8.71', announce: 'arp' },
    },
    {
      apiVersion: 'v1',
      kind: 'Service',
      metadata: { name: 'feed', namespace: 'default' },
      spec: { type: 'LoadBalancer', ports: [] },
    },
  ];
  const state = (nodes: string[], silent: Record<string, number> = {}): State => ({
    pods: nodes.map((node) => ({
      key: node,
      name: node,
      namespace: 'kube-system',
      labels: {},
      owner: { apiVersion: 'apps/v1', kind: 'DaemonSet', metadata: { name: 'service-announcer' } },
      node,
      hostNetwork: true,
      ready: true,
    })),
    ready: new Set(),
    proxied: new Set(),
    silent: new Map(Object.entries(silent)),
    volumes: { volumes: [], claims: new Map() },
    refused: [],
  });
  it('has it until its lease ends, fifteen seconds after it was heard last; then one that is heard has it', () => {
    const p = new Published();
    const leads = (silent: Record<string, number>) =>
      [...p.of(objects, state(['lr-04', 'lr-05'], silent), 0).values()][0]?.node?.name;
    const first = leads({}) as string;
    expect([leads({ [first]: 14 }), leads({ [first]: 15 }) === first, leads({ [first]: 15 }) !== undefined]).toEqual([
      first,
      false,
      true,
    ]);
    // Who comes back does not take it back.
    expect(leads({})).not.toBe(first);
  });
  it('is none that is silent itself', () => {
    const p = new Published();
    const at = (silent: Record<string, number>) => p.of(objects, state(['lr-04', 'lr-05'], silent), 0).size;
    expect([at({ 'lr-04': 3, 'lr-05': 3 }), at({ 'lr-04': 3 })]).toEqual([0, 1]);
  });
});
