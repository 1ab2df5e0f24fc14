import { kubeTold, type KubeAt, type KubeList } from './client.ts';

/** A node, as far as it is told apart whether it counts as lost. */
export interface NodeSeen {
  name: string;
  ready: boolean;
  /** Since when, by the clock of the cluster, in milliseconds since 1970. */
  since: number | undefined;
}
/** A pod of something that has pods of its own number. */
export interface PodSeen {
  namespace: string;
  /** The Deployment or StatefulSet that it is of. */
  work: string;
  name: string;
  host: string | undefined;
  ready: boolean;
  since: number | undefined;
}
export interface ClusterSeen {
  /** The clock of the API server, to the second (RFC 9110 §6.6.1), in milliseconds since 1970. */
  at: number;
  nodes: NodeSeen[];
  pods: PodSeen[];
}

interface Condition {
  type: string;
  status: string;
  lastTransitionTime?: string;
}
interface Node {
  metadata: { name: string };
  status?: { conditions?: Condition[] };
}
interface Pod {
  metadata: { name: string; namespace?: string; deletionTimestamp?: string; ownerReferences?: { kind: string; name: string }[] };
  spec?: { nodeName?: string };
  status?: { phase?: string; conditions?: Condition[] };
}
const readiness = (o: Node | Pod): { ready: boolean; since: number | undefined } => {
  const c = o.status?.conditions?.find((x) => x.type === 'Ready');
  const since = Date.parse(c?.lastTransitionTime ?? '');
  return { ready: c?.status === 'True', since: Number.isNaN(since) ? undefined : since };
};
/** What a pod is of: a Deployment has its pods through a ReplicaSet, whose name ends in a digest of its template. */
function workOf(p: Pod): string | undefined {
  const owner = p.metadata.ownerReferences?.[0];
  if (owner?.kind === 'ReplicaSet') return owner.name.replace(/-[a-z0-9]+$/, '');
  return owner?.kind === 'Deployment' || owner?.kind === 'StatefulSet' ? owner.name : undefined;
}

/** Nodes and pods, and what time it is there. @throws ProtocolError */
export async function clusterSeen(k: KubeAt): Promise<ClusterSeen> {
  const nodes = await kubeTold<KubeList<Node>>(k, '/api/v1/nodes');
  const pods = await kubeTold<KubeList<Pod>>(k, '/api/v1/pods');
  return {
    at: pods.at,
    nodes: (nodes.body?.items ?? []).map((n) => ({ name: n.metadata.name, ...readiness(n) })),
    pods: (pods.body?.items ?? []).flatMap((p) => {
      const work = workOf(p);
      // What is being ended counts no more.
      if (!work || p.metadata.deletionTimestamp || p.status?.phase === 'Succeeded' || p.status?.phase === 'Failed') return [];
      return [
        { namespace: p.metadata.namespace ?? 'default', work, name: p.metadata.name, host: p.spec?.nodeName, ...readiness(p) },
      ];
    }),
  };
}
/** What time it is there. @throws ProtocolError */
export const clusterTime = async (k: KubeAt): Promise<number> => (await kubeTold(k, '/version')).at;
