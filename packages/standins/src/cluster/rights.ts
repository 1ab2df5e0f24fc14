import type { KubeObject } from './kinds.ts';

interface Rule {
  apiGroups?: string[];
  resources?: string[];
  verbs: string[];
}
/** Roles that the API server makes itself (Kubernetes, "Using RBAC authorization", default roles), as far as they are asked for here. */
const builtIn: Record<string, Rule[]> = {
  'cluster-admin': [{ apiGroups: ['*'], resources: ['*'], verbs: ['*'] }],
  'system:node-proxier': [
    { apiGroups: [''], resources: ['services', 'endpoints'], verbs: ['list', 'watch'] },
    { apiGroups: ['discovery.k8s.io'], resources: ['endpointslices'], verbs: ['list', 'watch'] },
    { apiGroups: [''], resources: ['nodes'], verbs: ['get', 'list', 'watch'] },
  ],
};
const has = (list: string[] | undefined, what: string) => (list ?? []).some((x) => x === what || x === '*');

/** Whether the account may do that: by the roles that are bound to it. */
export function may(objects: readonly KubeObject[], account: string, verb: string, group: string, resource: string): boolean {
  return objects
    .filter((o) => o.kind === 'ClusterRoleBinding')
    .filter((b) =>
      ((b.subjects ?? []) as { kind: string; name: string; namespace?: string }[]).some(
        (s) => s.kind === 'ServiceAccount' && `${s.namespace}/${s.name}` === account,
      ),
    )
    .flatMap((b) => {
      const { name } = b.roleRef as { name: string };
      return (
        builtIn[name] ??
        (objects.find((o) => o.kind === 'ClusterRole' && o.metadata.name === name)?.rules as Rule[] | undefined) ??
        []
      );
    })
    .some((r) => has(r.apiGroups, group) && has(r.resources, resource) && has(r.verbs, verb));
}

/** What the programs of a release ask the API for, by the last part of their image's name: `group/resource`. */
export const asks: Record<string, string[]> = {
  'kube-proxy': ['/services', 'discovery.k8s.io/endpointslices', '/nodes'],
  'pod-network': ['/nodes', '/pods'],
  'cluster-dns': ['/services', '/namespaces', 'discovery.k8s.io/endpointslices'],
  'inbound-router': ['/services', '/secrets', 'discovery.k8s.io/endpointslices', 'networking.k8s.io/ingresses'],
  'volume-controller': [
    '/persistentvolumes',
    '/persistentvolumeclaims',
    '/nodes',
    'storage.k8s.io/storageclasses',
    'volumes.praesidor/copies',
  ],
  'volume-node': ['/persistentvolumes', 'storage.k8s.io/volumeattachments', 'volumes.praesidor/copies'],
  'service-announcer': ['/services', '/nodes'],
};
