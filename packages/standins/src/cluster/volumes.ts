import type { KubeObject } from './kinds.ts';

/** Claims and volumes as the controllers of the API bind them (Kubernetes documentation, "Persistent Volumes"). */
export interface Volumes {
  /** Given, and provisioned. */
  volumes: KubeObject[];
  /** By namespace and name: the volume that a claim has, or why it has none. */
  claims: Map<string, { claim: KubeObject; volume?: KubeObject; reason?: string; message?: string }>;
}
export const claimKey = (namespace: string | undefined, name: string) => `${namespace ?? 'default'}/${name}`;

const units: Record<string, number> = {
  '': 1,
  k: 1e3,
  M: 1e6,
  G: 1e9,
  T: 1e12,
  Ki: 2 ** 10,
  Mi: 2 ** 20,
  Gi: 2 ** 30,
  Ti: 2 ** 40,
};
/** Bytes of a quantity, such as 10Gi. */
export function bytesOf(quantity: unknown): number {
  const [, number = 'none', unit = ''] = /^(\d+(?:\.\d+)?)([A-Za-z]*)$/.exec(String(quantity)) ?? [];
  return Number(number) * (units[unit] ?? Number.NaN);
}

const defaultClass = 'storageclass.kubernetes.io/is-default-class';
const annotations = (o: KubeObject) => (o.metadata.annotations ?? {}) as Record<string, string>;

/**
 * What is bound, in the order in which it was given: a claim takes the smallest free volume of its class that is large enough and can be
 * used as it asks; else its class provisions one, if its driver is there. `used` are the claims that pods name: some classes wait for them. A claim keeps what
 * it has, whoever uses it: `bound` is written to, by claim and volume.
 */
export function volumesOf(
  objects: readonly KubeObject[],
  givenAt: (o: KubeObject) => number,
  used: ReadonlySet<string>,
  bound: Map<string, string> = new Map(),
): Volumes {
  const out: Volumes = { volumes: [], claims: new Map() };
  const drivers = new Set<string>();
  const classes = new Map<string, KubeObject>();
  const owner = new Map<KubeObject, string>();
  const give = (key: string, claim: KubeObject, volume: KubeObject) => {
    owner.set(volume, key);
    bound.set(key, volume.metadata.name);
    out.claims.set(key, { claim, volume });
  };
  const settle = (key: string, claim: KubeObject) => {
    const { resources, accessModes, volumeName, storageClassName } = claim.spec as {
      resources?: { requests?: { storage?: string } };
      accessModes?: string[];
      volumeName?: string;
      storageClassName?: string;
    };
    const name =
      storageClassName ?? [...classes.values()].find((c) => annotations(c)[defaultClass] === 'true')?.metadata.name ?? '';
    const wants = bytesOf(resources?.requests?.storage);
    const free = out.volumes
      .filter(
        (v) =>
          !owner.has(v) &&
          (!volumeName || v.metadata.name === volumeName) &&
          // What another claim has is not free.
          ![...bound].some(([other, its]) => other !== key && its === v.metadata.name) &&
          (!bound.has(key) || bound.get(key) === v.metadata.name) &&
          (v.spec.storageClassName ?? '') === name &&
          bytesOf(v.spec.capacity?.storage) >= wants &&
          (accessModes ?? []).every((m) => (v.spec.accessModes as string[]).includes(m)),
      )
      .sort((a, b) => bytesOf(a.spec.capacity.storage) - bytesOf(b.spec.capacity.storage));
    const storage = classes.get(name) as (KubeObject & { provisioner?: string; volumeBindingMode?: string }) | undefined;
    const pending = (reason: string, message: string) => out.claims.set(key, { claim, reason, message });
    if (storage?.volumeBindingMode === 'WaitForFirstConsumer' && !used.has(key) && !bound.has(key))
      return pending('WaitForFirstConsumer', 'waiting for first consumer to be created before binding');
    if (free[0]) return give(key, claim, free[0]);
    if (!name) return pending('FailedBinding', 'no persistent volumes available for this claim and no storage class is set');
    if (!storage) return pending('ProvisioningFailed', `storageclass.storage.k8s.io "${name}" not found`);
    if (volumeName) return pending('FailedBinding', `volume "${volumeName}" is not there, or not free for this claim`);
    if (!drivers.has(storage.provisioner ?? ''))
      return pending('ExternalProvisioning', `waiting for a volume to be created by "${storage.provisioner}"`);
    const made: KubeObject = {
      apiVersion: 'v1',
      kind: 'PersistentVolume',
      metadata: { name: `pvc-${key.replace('/', '-')}` },
      spec: {
        capacity: { storage: resources?.requests?.storage },
        accessModes,
        storageClassName: name,
        persistentVolumeReclaimPolicy: 'Delete',
        csi: { driver: storage.provisioner, volumeHandle: key },
      },
    };
    out.volumes.push(made);
    return give(key, claim, made);
  };
  const kinds = new Set(['CSIDriver', 'StorageClass', 'PersistentVolume', 'PersistentVolumeClaim']);
  const there = new Set(
    objects.flatMap((o) => (o.kind === 'PersistentVolumeClaim' ? [claimKey(o.metadata.namespace, o.metadata.name)] : [])),
  );
  for (const key of bound.keys()) if (!there.has(key)) bound.delete(key);
  const timeline = objects.filter((o) => kinds.has(o.kind)).sort((a, b) => givenAt(a) - givenAt(b));
  for (const o of timeline) {
    if (o.kind === 'CSIDriver') drivers.add(o.metadata.name);
    else if (o.kind === 'StorageClass') classes.set(o.metadata.name, o);
    else if (o.kind === 'PersistentVolume') out.volumes.push(o);
    else out.claims.set(claimKey(o.metadata.namespace, o.metadata.name), { claim: o });
    for (const [key, c] of out.claims) if (!c.volume) settle(key, c.claim);
  }
  return out;
}

/** A volume or a claim as the API shows it. */
export function shown(o: KubeObject, { volumes, claims }: Volumes): KubeObject {
  if (o.kind === 'PersistentVolumeClaim') {
    const has = claims.get(claimKey(o.metadata.namespace, o.metadata.name))?.volume;
    return has
      ? {
          ...o,
          spec: { ...o.spec, volumeName: has.metadata.name },
          status: { phase: 'Bound', capacity: has.spec.capacity, accessModes: has.spec.accessModes },
        }
      : { ...o, status: { phase: 'Pending' } };
  }
  const volume = volumes.find((v) => v.metadata.name === o.metadata.name);
  const [key] = [...claims].find(([, c]) => c.volume === volume) ?? [];
  const [namespace, name] = key?.split('/') ?? [];
  return {
    ...o,
    spec: { ...o.spec, ...(name ? { claimRef: { kind: 'PersistentVolumeClaim', namespace, name } } : {}) },
    status: { phase: name ? 'Bound' : 'Available' },
  };
}

/** Nodes on which a volume can be used: those that its affinity names; undefined: any. */
export function nodesOf(volume: KubeObject): string[] | undefined {
  const terms = (volume.spec.nodeAffinity?.required?.nodeSelectorTerms ?? []) as {
    matchExpressions?: { key: string; operator: string; values?: string[] }[];
  }[];
  if (!terms.length) return undefined;
  return terms.flatMap(
    (t) => t.matchExpressions?.find((e) => e.key === 'kubernetes.io/hostname' && e.operator === 'In')?.values ?? [],
  );
}
