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

/** A program as the API tells it (Kubernetes API, apps/v1). */
export interface ProgramTold {
  metadata?: { generation?: number };
  spec?: {
    replicas?: number;
    selector?: { matchLabels?: Record<string, string> };
    updateStrategy?: { type?: string };
  };
  status?: {
    observedGeneration?: number;
    desiredNumberScheduled?: number;
    numberReady?: number;
    readyReplicas?: number;
    updatedReplicas?: number;
    updatedNumberScheduled?: number;
  };
}
/**
 * Pods of a program that are ready, of those that are wanted. Those of what it was before do not count: while it is rolled out, they are ready, and are not
 * what was given. Counts that are zero are left out by the API; a status of an older generation says nothing of this one.
 */
export function runningOf(kind: string, { metadata, spec, status = {} }: ProgramTold): Running {
  const labels = spec?.selector?.matchLabels ?? {};
  const { observedGeneration: seen } = status;
  const daemon = kind === 'DaemonSet';
  const wanted = daemon ? (status.desiredNumberScheduled ?? 0) : (spec?.replicas ?? 1);
  if (seen !== undefined && seen < (metadata?.generation ?? seen)) return { ready: 0, wanted, labels };
  const ready = (daemon ? status.numberReady : status.readyReplicas) ?? 0;
  // Nobody rolls these out: each pod is of what was given when it was made.
  const byHand = spec?.updateStrategy?.type === 'OnDelete';
  const updated = (daemon ? status.updatedNumberScheduled : status.updatedReplicas) ?? 0;
  return { ready: seen === undefined || byHand ? ready : Math.min(ready, updated), wanted, labels };
}

/** Programs of the cluster that are to run: their pods ready of those wanted, by `kind namespace/name`. */
export interface Running {
  ready: number;
  wanted: number;
  /** Labels that its pods have. */
  labels: Readonly<Record<string, string>>;
}
/** @throws ProtocolError; undefined: the API does not know it */
export async function running(k: KubeAt, o: { kind: string; namespace: string; name: string }): Promise<Running | undefined> {
  const found = await kube<ProgramTold>(k, `/apis/apps/v1/namespaces/${o.namespace}/${o.kind.toLowerCase()}s/${o.name}`);
  return found && runningOf(o.kind, found);
}

/**
 * Why pods of a program do not run, in the words of the scheduler, the kubelet or the API: the first of them. Undefined: nobody says.
 *
 * @param labels what its pods have; none: its name, as programs of a kit do
 * @throws ProtocolError
 */
export async function whyNotRunning(
  k: KubeAt,
  namespace: string,
  name: string,
  labels: Readonly<Record<string, string>> = {},
): Promise<string | undefined> {
  // Without labels all pods of the namespace would be meant.
  const own = Object.entries(Object.keys(labels).length ? labels : { 'app.kubernetes.io/name': name });
  const selector = own.map(([key, value]) => `${key}=${value}`).join(',');
  const pods = await kube<KubeList<Pod>>(k, `/api/v1/namespaces/${namespace}/pods?labelSelector=${encodeURIComponent(selector)}`);
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
