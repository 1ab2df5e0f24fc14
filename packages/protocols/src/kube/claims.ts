import { type CopySeen, copiesSeen } from './copies.ts';
import { type KubeAt, type KubeList, kube } from './client.ts';
import { quantityOf } from './requested.ts';

/** A claim of a cluster with the volume that it has, as the API says. */
export interface ClaimSeen {
  namespace: string;
  claim: string;
  /** Whether it has a volume. */
  bound: boolean;
  class: string | undefined;
  /** Bytes of the volume; of one that has none, those that are asked for. */
  bytes: number;
  volume: string | undefined;
  /** Hosts that it lies on, where it lies on some alone (nodeAffinity of the volume); none: that is its driver's business. */
  lies: string[];
  /** Its copies, where it has some and its driver tells of them. */
  copies?: CopySeen[];
  /** Pods that use it, with the hosts that they are on. */
  users: { pod: string; host: string | undefined; ready: boolean }[];
  /** Why it, or what uses it, waits: as the API tells it in events. */
  why: string | undefined;
}

interface Claim {
  metadata: { name: string; namespace?: string };
  spec?: { volumeName?: string; storageClassName?: string; resources?: { requests?: { storage?: string } } };
  status?: { phase?: string; capacity?: { storage?: string } };
}
interface Volume {
  metadata: { name: string };
  spec: {
    capacity?: { storage?: string };
    storageClassName?: string;
    csi?: { driver: string };
    nodeAffinity?: {
      required?: { nodeSelectorTerms?: { matchExpressions?: { key: string; operator: string; values?: string[] }[] }[] };
    };
  };
}
interface Pod {
  metadata: { name: string; namespace?: string };
  spec?: { nodeName?: string; volumes?: { persistentVolumeClaim?: { claimName: string } }[] };
  status?: { phase?: string; conditions?: { type: string; status: string }[] };
}
interface Event {
  involvedObject?: { kind: string; name: string; namespace?: string };
  reason?: string;
  message?: string;
  type?: string;
}

/** Bytes of a quantity (Kubernetes API, resource.Quantity), such as 10Gi; 0 where it is none. */
export const bytesOf = (quantity: string | undefined): number => Math.round(quantityOf(quantity));
/** What is told of pods that has to do with their volumes (kubelet and attach-detach controller). */
const ofVolumes = new Set(['FailedAttachVolume', 'FailedMount', 'FailedMapVolume', 'VolumeConditionAbnormal']);

/** Claims of a cluster, with their volumes, who uses them, and why what waits does. @throws ProtocolError */
export async function claimsSeen(k: KubeAt): Promise<ClaimSeen[]> {
  const [claims, volumes, pods, events] = await Promise.all([
    kube<KubeList<Claim>>(k, '/api/v1/persistentvolumeclaims'),
    kube<KubeList<Volume>>(k, '/api/v1/persistentvolumes'),
    kube<KubeList<Pod>>(k, '/api/v1/pods'),
    kube<KubeList<Event>>(k, '/api/v1/events'),
  ]);
  const drivers = new Set((volumes?.items ?? []).flatMap((v) => v.spec.csi?.driver ?? []));
  const told = new Map<string, CopySeen[] | undefined>();
  for (const d of drivers) told.set(d, await copiesSeen(k, d));
  const named = new Map((volumes?.items ?? []).map((v) => [v.metadata.name, v]));
  // The newest of each comes last.
  const said = new Map(
    (events?.items ?? []).flatMap((e) => {
      const { kind, name, namespace = 'default' } = e.involvedObject ?? { kind: '', name: '' };
      const counts = kind === 'PersistentVolumeClaim' || (kind === 'Pod' && ofVolumes.has(e.reason ?? ''));
      return counts ? [[`${kind} ${namespace}/${name}`, e.message ?? e.reason ?? ''] as const] : [];
    }),
  );
  return (claims?.items ?? []).map(({ metadata, spec, status }): ClaimSeen => {
    const namespace = metadata.namespace ?? 'default';
    const volume = spec?.volumeName ? named.get(spec.volumeName) : undefined;
    const users = (pods?.items ?? []).flatMap((p) =>
      (p.metadata.namespace ?? 'default') === namespace &&
      p.status?.phase !== 'Succeeded' &&
      p.status?.phase !== 'Failed' &&
      p.spec?.volumes?.some((v) => v.persistentVolumeClaim?.claimName === metadata.name)
        ? [
            {
              pod: p.metadata.name,
              host: p.spec.nodeName,
              ready: p.status?.conditions?.some((c) => c.type === 'Ready' && c.status === 'True') ?? false,
            },
          ]
        : [],
    );
    const bound = status?.phase === 'Bound';
    const waits = users.find((u) => !u.ready && said.has(`Pod ${namespace}/${u.pod}`));
    const copies = told.get(volume?.spec.csi?.driver ?? '')?.filter((c) => c.volume === volume?.metadata.name);
    return {
      ...(copies ? { copies } : {}),
      namespace,
      claim: metadata.name,
      bound,
      class: spec?.storageClassName ?? volume?.spec.storageClassName,
      bytes: bytesOf(status?.capacity?.storage ?? volume?.spec.capacity?.storage ?? spec?.resources?.requests?.storage),
      volume: spec?.volumeName,
      lies: (volume?.spec.nodeAffinity?.required?.nodeSelectorTerms ?? []).flatMap(
        (t) => t.matchExpressions?.find((e) => e.key === 'kubernetes.io/hostname' && e.operator === 'In')?.values ?? [],
      ),
      users,
      why: waits
        ? `${waits.pod}: ${said.get(`Pod ${namespace}/${waits.pod}`)}`
        : bound
          ? undefined
          : said.get(`PersistentVolumeClaim ${namespace}/${metadata.name}`),
    };
  });
}
