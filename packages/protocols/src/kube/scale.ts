import { type KubeAt, type KubeList, kube } from './client.ts';

/** What has pods of its own number. */
export interface Scaled {
  kind: 'Deployment' | 'StatefulSet';
  namespace: string;
  name: string;
}
interface Found {
  metadata: { annotations?: Record<string, string> };
  spec?: { replicas?: number };
  status?: { readyReplicas?: number };
}
/** Where a halted one keeps how many pods it had. */
const had = 'praesidor/replicas';
const pathOf = (o: Scaled) => `/apis/apps/v1/namespaces/${o.namespace}/${o.kind.toLowerCase()}s/${o.name}`;
const patch = (k: KubeAt, o: Scaled, body: object) =>
  kube(k, pathOf(o), { method: 'PATCH', contentType: 'application/merge-patch+json', body });

/** Has all its pods end, and keeps with it how many there were; may be asked again. @returns how many it had; undefined: the API does not know it */
export async function halt(k: KubeAt, o: Scaled): Promise<number | undefined> {
  const found = await kube<Found>(k, pathOf(o));
  if (!found) return undefined;
  const before = found.metadata.annotations?.[had];
  const replicas = found.spec?.replicas ?? 1;
  if (replicas) await patch(k, o, { metadata: { annotations: { [had]: String(replicas) } }, spec: { replicas: 0 } });
  return replicas || Number(before ?? 0);
}
/** Gives it its pods again. @returns how many are ready of those wanted; undefined: the API does not know it */
export async function revive(k: KubeAt, o: Scaled): Promise<{ ready: number; wanted: number } | undefined> {
  const found = await kube<Found>(k, pathOf(o));
  if (!found) return undefined;
  const before = Number(found.metadata.annotations?.[had] ?? 0);
  const wanted = found.spec?.replicas || before;
  if (before)
    await patch(k, o, {
      metadata: { annotations: { [had]: null } },
      ...(found.spec?.replicas ? {} : { spec: { replicas: before } }),
    });
  return { ready: before ? 0 : (found.status?.readyReplicas ?? 0), wanted };
}

interface Pod {
  metadata: { name: string };
  spec?: { volumes?: { persistentVolumeClaim?: { claimName: string } }[] };
  status?: { phase?: string };
}
/** Pods that use a claim, by name: those that have not ended. */
export async function usersOf(k: KubeAt, namespace: string, claim: string): Promise<string[]> {
  const pods = await kube<KubeList<Pod>>(k, `/api/v1/namespaces/${namespace}/pods`);
  return (pods?.items ?? [])
    .filter(
      (p) =>
        p.status?.phase !== 'Succeeded' &&
        p.status?.phase !== 'Failed' &&
        p.spec?.volumes?.some((v) => v.persistentVolumeClaim?.claimName === claim),
    )
    .map((p) => p.metadata.name);
}
