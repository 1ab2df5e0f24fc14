import { describe, expect, it } from 'vitest';
import type { KubeObject } from './kinds.ts';
import { podsOf } from './pods.ts';
import { bytesOf, nodesOf, shown, volumesOf } from './volumes.ts';

const volume = (name: string, storage: string, more: object = {}): KubeObject => ({
  apiVersion: 'v1',
  kind: 'PersistentVolume',
  metadata: { name },
  spec: { capacity: { storage }, accessModes: ['ReadWriteOnce'], storageClassName: 'own', ...more },
});
const claim = (name: string, storage: string, more: object = {}): KubeObject => ({
  apiVersion: 'v1',
  kind: 'PersistentVolumeClaim',
  metadata: { name, namespace: 'apps' },
  spec: { resources: { requests: { storage } }, accessModes: ['ReadWriteOnce'], storageClassName: 'own', ...more },
});
const kind = (name: string, more: object = {}): KubeObject => ({
  apiVersion: 'storage.k8s.io/v1',
  kind: 'StorageClass',
  metadata: { name },
  provisioner: 'store.example',
  ...more,
});
const driver: KubeObject = { apiVersion: 'storage.k8s.io/v1', kind: 'CSIDriver', metadata: { name: 'store.example' }, spec: {} };
/** Given one after the other. */
const bound = (objects: KubeObject[], used: string[] = []) => {
  const s = volumesOf(objects, (o) => objects.indexOf(o), new Set(used));
  return Object.fromEntries([...s.claims].map(([k, c]) => [k.split('/')[1], c.volume?.metadata.name ?? c.reason]));
};

describe('quantities', () => {
  it.each([
    ['10Gi', 10 * 2 ** 30],
    ['1.5k', 1500],
    ['7', 7],
    ['2M', 2e6],
  ])('%s is %i bytes', (text, bytes) => {
    expect(bytesOf(text)).toBe(bytes);
  });
  it('of no known unit is no number', () => {
    expect([bytesOf('10 GB'), bytesOf('x'), bytesOf(undefined)]).toEqual([Number.NaN, Number.NaN, Number.NaN]);
  });
});

describe('a claim', () => {
  const [small, large, many] = [
    volume('small', '5Gi'),
    volume('large', '50Gi'),
    volume('many', '9Gi', { accessModes: ['ReadWriteMany'] }),
  ];
  it('takes the smallest free volume that is large enough and can be used as it asks', () => {
    expect(bound([kind('own'), large, small, claim('a', '4Gi'), claim('b', '4Gi'), claim('c', '4Gi')])).toEqual({
      a: 'small',
      b: 'large',
      c: 'ExternalProvisioning',
    });
    expect(bound([kind('own'), small, many, claim('a', '6Gi'), claim('b', '6Gi', { accessModes: ['ReadWriteMany'] })])).toEqual({
      a: 'ExternalProvisioning',
      b: 'many',
    });
    expect(bound([small, claim('a', '1Gi', { storageClassName: '' })])).toEqual({ a: 'FailedBinding' });
    expect(bound([kind('own'), small, large, claim('a', '1Gi', { volumeName: 'large' })])).toEqual({ a: 'large' });
  });
  it('keeps the volume that it has when a better one comes', () => {
    expect(bound([kind('own'), large, claim('a', '4Gi'), small])).toEqual({ a: 'large' });
  });
  it('is given one by the driver of its class, when that is there', () => {
    expect(bound([kind('own'), claim('a', '4Gi')])).toEqual({ a: 'ExternalProvisioning' });
    expect(bound([kind('own'), claim('a', '4Gi'), driver])).toEqual({ a: 'pvc-apps-a' });
    expect(bound([claim('a', '4Gi'), driver])).toEqual({ a: 'ProvisioningFailed' });
    const usual = kind('usual', {
      metadata: { name: 'usual', annotations: { 'storageclass.kubernetes.io/is-default-class': 'true' } },
    });
    expect(bound([usual, driver, claim('a', '4Gi', { storageClassName: undefined })])).toEqual({ a: 'pvc-apps-a' });
  });
  it('of a class that waits for a pod is bound when one names it', () => {
    const waits = kind('own', { volumeBindingMode: 'WaitForFirstConsumer' });
    expect(bound([waits, small, claim('a', '4Gi')])).toEqual({ a: 'WaitForFirstConsumer' });
    expect(bound([waits, small, claim('a', '4Gi')], ['apps/a'])).toEqual({ a: 'small' });
  });
  it('is shown with what it has, and the volume with whose it is', () => {
    const objects = [kind('own'), small, large, claim('a', '4Gi')];
    const s = volumesOf(objects, (o) => objects.indexOf(o), new Set());
    expect(shown(objects[3] as KubeObject, s)).toMatchObject({ spec: { volumeName: 'small' }, status: { phase: 'Bound' } });
    expect(shown(small as KubeObject, s)).toMatchObject({ spec: { claimRef: { name: 'a' } }, status: { phase: 'Bound' } });
    expect(shown(large as KubeObject, s)).toMatchObject({ status: { phase: 'Available' } });
  });
});

describe('pods with a claim', () => {
  const on = (...names: string[]) => ({
    nodeAffinity: {
      required: { nodeSelectorTerms: [{ matchExpressions: [{ key: 'kubernetes.io/hostname', operator: 'In', values: names }] }] },
    },
  });
  const workload = (replicas: number): KubeObject => ({
    apiVersion: 'apps/v1',
    kind: 'Deployment',
    metadata: { name: 'archive', namespace: 'apps' },
    spec: {
      replicas,
      template: {
        metadata: { labels: { app: 'archive' } },
        spec: {
          hostNetwork: true,
          tolerations: [{ operator: 'Exists' }],
          containers: [{ name: 'a', image: 'own.example/archive:1' }],
          volumes: [{ name: 'd', persistentVolumeClaim: { claimName: 'a' } }],
        },
      },
    },
  });
  const pods = (replicas: number, ...objects: KubeObject[]) => {
    const all = [kind('own'), ...objects, workload(replicas)];
    return podsOf({
      nodes: ['n1', 'n2', 'n3'].map((name) => ({
        name,
        address: '10.0.0.1',
        files: {},
        images: ['own.example/archive:1'],
        since: 0,
        taints: [],
      })),
      objects: all,
      allowPrivileged: false,
      apiNames: [],
      age: () => 3600,
      givenAt: (o) => all.indexOf(o),
    }).pods.map((p) => (p.ready ? p.node : p.message));
  };
  it('run where their volume can be', () => {
    expect(pods(1, volume('v', '5Gi', on('n2')), claim('a', '1Gi'))).toEqual(['n2']);
    expect(pods(1, volume('v', '5Gi', on('n9')), claim('a', '1Gi'))[0]).toContain('volume node affinity conflict');
    expect(nodesOf(volume('v', '5Gi'))).toBeUndefined();
  });
  it('wait for a claim that is not there, or not bound', () => {
    expect(pods(1)[0]).toContain('persistentvolumeclaim "a" not found');
    expect(pods(1, claim('a', '1Gi'))[0]).toContain('unbound immediate PersistentVolumeClaims');
  });
  it('are on one node with a volume that one node has at a time, on several with one for many', () => {
    expect(pods(2, volume('v', '5Gi'), claim('a', '1Gi'))).toEqual([
      'n1',
      expect.stringContaining('Multi-Attach error for volume "v"'),
    ]);
    const modes = { accessModes: ['ReadWriteMany'] };
    expect(pods(2, volume('v', '5Gi', modes), claim('a', '1Gi', modes))).toEqual(['n1', 'n2']);
  });
  it('keep theirs when nobody uses the claim any more, and give it free with the claim', () => {
    const bound = new Map<string, string>();
    const later = {
      apiVersion: 'storage.k8s.io/v1',
      kind: 'StorageClass',
      metadata: { name: 'own' },
      volumeBindingMode: 'WaitForFirstConsumer',
    };
    const has = (used: string[], ...objects: object[]) => {
      const all = [later, ...objects] as never as KubeObject[];
      return [...volumesOf(all, (o) => all.indexOf(o), new Set(used), bound).claims].map(
        ([k, c]) => `${k} ${c.volume?.metadata.name ?? c.reason}`,
      );
    };
    const [v1, v2] = [volume('v1', '5Gi'), volume('v2', '9Gi')];
    expect(has([], v1, v2, claim('a', '1Gi'))).toEqual(['apps/a WaitForFirstConsumer']);
    expect(has(['apps/a'], v1, v2, claim('a', '1Gi'))).toEqual(['apps/a v1']);
    // b came later and is the smaller one: a has what it has.
    expect(has(['apps/b'], v1, v2, claim('b', '1Gi'), claim('a', '1Gi'))).toEqual(['apps/b v2', 'apps/a v1']);
    expect(has(['apps/b'], v1, v2, claim('b', '1Gi'))).toEqual(['apps/b v2']);
    expect(has(['apps/c'], v1, v2, claim('b', '1Gi'), claim('c', '1Gi'))).toEqual(['apps/b v2', 'apps/c v1']);
  });
});
