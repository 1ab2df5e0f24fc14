import { ProtocolError } from '../dial/index.ts';
import { type KubeAt, type KubeList, kube } from './client.ts';

interface Pod {
  metadata: {
    name: string;
    namespace: string;
    uid?: string;
    deletionTimestamp?: string;
    annotations?: Record<string, string>;
    ownerReferences?: { kind: string }[];
  };
  status?: { phase?: string };
}
export interface PodName {
  namespace: string;
  name: string;
}

/**
 * Pods on a node that have to go before it can: not those of the node itself, which are of a DaemonSet or stand in a file there
 * (mirror pods), and not those that have ended. @throws ProtocolError
 */
export async function podsOn(k: KubeAt, node: string): Promise<PodName[]> {
  const list = await kube<KubeList<Pod>>(k, `/api/v1/pods?fieldSelector=spec.nodeName%3D${encodeURIComponent(node)}`);
  return (list?.items ?? [])
    .filter((p) => !p.metadata.ownerReferences?.some((o) => o.kind === 'DaemonSet'))
    .filter((p) => p.metadata.annotations?.['kubernetes.io/config.mirror'] === undefined)
    .filter((p) => p.status?.phase !== 'Succeeded' && p.status?.phase !== 'Failed')
    .map(({ metadata: { namespace, name } }) => ({ namespace, name }));
}

/** What came of asking a pod to go. */
export interface Evicted {
  pod: string;
  /** Why it may not go yet, in the words of the API. */
  held?: string;
}

/**
 * Asks that a pod goes (Eviction of policy/v1): a disruption budget that does not allow it now answers 429, and it is asked again later.
 * @throws ProtocolError for any other refusal
 */
export async function evict(k: KubeAt, { namespace, name }: PodName): Promise<Evicted> {
  const pod = `${namespace}/${name}`;
  try {
    await kube(k, `/api/v1/namespaces/${namespace}/pods/${name}/eviction`, {
      method: 'POST',
      body: { apiVersion: 'policy/v1', kind: 'Eviction', metadata: { name, namespace } },
    });
    return { pod };
  } catch (e) {
    if (!(e instanceof ProtocolError && e.status === 429)) throw e;
    return { pod, held: e.detail.replace(/^it answered 429 to \S+: /, '') };
  }
}
