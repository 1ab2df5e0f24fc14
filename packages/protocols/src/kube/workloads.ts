import { kube, type KubeAt, type KubeList } from './client.ts';
import { quantityOf } from './requested.ts';

/** What runs in a cluster, as its owner asked for it (Kubernetes API, apps/v1). */
export interface WorkSeen {
  kind: 'Deployment' | 'StatefulSet';
  namespace: string;
  name: string;
  replicas: number;
  /** What each of its pods asks for. */
  cores: number;
  memoryGiB: number;
  /** Seconds that its pods stay on a host that is lost, where they say so. */
  tolerate?: number;
  /** Claims that its pods share, and names of the volumes of which each pod has its own. */
  claims: string[];
  own: string[];
}
interface Work {
  metadata: { name: string; namespace?: string };
  spec: {
    replicas?: number;
    template: {
      spec: {
        containers?: { resources?: { requests?: { cpu?: string; memory?: string } } }[];
        tolerations?: { key?: string; tolerationSeconds?: number }[];
        volumes?: { persistentVolumeClaim?: { claimName: string } }[];
      };
    };
    volumeClaimTemplates?: { metadata: { name: string } }[];
  };
}
const two = (n: number) => Math.round(n * 100) / 100;

/** Everything that has pods of its own number, without the programs of the cluster itself. @throws ProtocolError */
export async function workloadsSeen(k: KubeAt): Promise<WorkSeen[]> {
  const of = async (kind: WorkSeen['kind'], resource: string) =>
    ((await kube<KubeList<Work>>(k, `/apis/apps/v1/${resource}`))?.items ?? []).flatMap(({ metadata, spec }): WorkSeen[] => {
      const { namespace = 'default', name } = metadata;
      if (namespace.startsWith('kube-')) return [];
      const { containers = [], tolerations = [], volumes = [] } = spec.template.spec;
      const sum = (what: 'cpu' | 'memory') => containers.reduce((n, c) => n + quantityOf(c.resources?.requests?.[what]), 0);
      const tolerate = tolerations.find((t) => t.key === 'node.kubernetes.io/unreachable')?.tolerationSeconds;
      return [
        {
          kind,
          namespace,
          name,
          replicas: spec.replicas ?? 1,
          cores: two(sum('cpu')),
          memoryGiB: two(sum('memory') / 1024 ** 3),
          ...(tolerate === undefined ? {} : { tolerate }),
          claims: volumes.flatMap((v) => v.persistentVolumeClaim?.claimName ?? []),
          own: (spec.volumeClaimTemplates ?? []).map((t) => t.metadata.name),
        },
      ];
    });
  return [...(await of('Deployment', 'deployments')), ...(await of('StatefulSet', 'statefulsets'))];
}
