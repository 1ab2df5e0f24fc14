import { type KubeAt, type KubeList, kube } from './client.ts';

interface Pod {
  metadata: { name: string };
  spec?: { nodeName?: string };
  status?: {
    conditions?: { type: string; status: string; reason?: string; message?: string }[];
    containerStatuses?: { state?: { waiting?: { reason?: string; message?: string } } }[];
  };
}
interface Event {
  involvedObject?: { name?: string };
  reason?: string;
  message?: string;
}

/** Programs of the cluster that are to run: their pods ready of those wanted, by `kind namespace/name`. */
export interface Running {
  ready: number;
  wanted: number;
}
/** @throws ProtocolError; undefined: the API does not know it */
export async function running(k: KubeAt, o: { kind: string; namespace: string; name: string }): Promise<Running | undefined> {
  const found = await kube<{
    spec?: { replicas?: number };
    status?: { desiredNumberScheduled?: number; numberReady?: number; readyReplicas?: number };
  }>(k, `/apis/apps/v1/namespaces/${o.namespace}/${o.kind.toLowerCase()}s/${o.name}`);
  if (!found) return undefined;
  return o.kind === 'DaemonSet'
    ? { ready: found.status?.numberReady ?? 0, wanted: found.status?.desiredNumberScheduled ?? 0 }
    : { ready: found.status?.readyReplicas ?? 0, wanted: found.spec?.replicas ?? 1 };
}

/**
 * Why pods of a program do not run, in the words of the scheduler, the kubelet or the API: the first of them. Undefined: nobody says.
 * @throws ProtocolError
 */
export async function whyNotRunning(k: KubeAt, namespace: string, name: string): Promise<string | undefined> {
  const pods = await kube<KubeList<Pod>>(
    k,
    `/api/v1/namespaces/${namespace}/pods?labelSelector=app.kubernetes.io%2Fname%3D${name}`,
  );
  for (const p of pods?.items ?? []) {
    const scheduled = p.status?.conditions?.find((c) => c.type === 'PodScheduled' && c.status === 'False');
    if (scheduled) return `${p.metadata.name} waits for a node: ${scheduled.message ?? scheduled.reason}`;
    const waiting = p.status?.containerStatuses?.map((c) => c.state?.waiting).find((w) => w?.reason);
    if (waiting && waiting.reason !== 'ContainerCreating')
      return `${p.metadata.name} on ${p.spec?.nodeName}: ${waiting.reason}${waiting.message ? `, ${waiting.message}` : ''}`;
  }
  const events = await kube<KubeList<Event>>(
    k,
    `/api/v1/namespaces/${namespace}/events?fieldSelector=involvedObject.name%3D${name}`,
  );
  const last = events?.items.at(-1);
  return last ? `${last.reason}: ${last.message}` : undefined;
}
