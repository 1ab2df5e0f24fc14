import { kube, type KubeAt, type KubeList } from './client.ts';

interface Resource {
  name: string;
  kind: string;
  namespaced: boolean;
  verbs?: string[];
}
interface Item {
  metadata: { name: string; ownerReferences?: unknown[]; deletionTimestamp?: string };
}
/** What the API makes by itself in every namespace, or tells of what happened there (Kubernetes documentation, "Namespaces", "Service accounts"). */
const byItself: Record<string, ((name: string) => boolean) | undefined> = {
  ConfigMap: (name) => name === 'kube-root-ca.crt',
  ServiceAccount: (name) => name === 'default',
  Event: () => true,
  Endpoints: () => true,
  EndpointSlice: () => true,
  PodMetrics: () => true,
};

/**
 * Objects that somebody put into a namespace and that lie there still, of every kind that the API says it has: those that follow from others, and those
 * that are going, are left out. `Kind name`, in the order of the kinds.
 *
 * @throws ProtocolError where a kind cannot be listed: what is not known is not said to be empty
 */
export async function leftIn(k: KubeAt, namespace: string): Promise<string[]> {
  const groups = await kube<{ groups?: { preferredVersion: { groupVersion: string } }[] }>(k, '/apis');
  const bases = ['/api/v1', ...(groups?.groups ?? []).map((g) => `/apis/${g.preferredVersion.groupVersion}`)];
  const out = new Set<string>();
  for (const base of bases) {
    const { resources = [] } = (await kube<{ resources?: Resource[] }>(k, base)) ?? {};
    for (const r of resources) {
      if (!r.namespaced || r.name.includes('/') || !(r.verbs ?? ['list']).includes('list')) continue;
      const { items = [] } = (await kube<KubeList<Item>>(k, `${base}/namespaces/${namespace}/${r.name}`)) ?? {};
      for (const { metadata: m } of items)
        if (!m.ownerReferences?.length && !m.deletionTimestamp && !byItself[r.kind]?.(m.name)) out.add(`${r.kind} ${m.name}`);
    }
  }
  return [...out];
}
