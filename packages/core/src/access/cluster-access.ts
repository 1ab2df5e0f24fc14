import type { ActName } from './acts.ts';

/**
 * What somebody may do in a cluster with a kubeconfig of their own: roles of the cluster itself, by groups that their client
 * certificate names. The groups are bound in the cluster; whoever takes a binding away ends all of that role at once.
 */
export const clusterRoles = {
  view: { act: 'clusters.view', label: 'look', help: 'Everything but secrets.', hours: 168 },
  edit: { act: 'clusters.edit', label: 'change workloads', help: 'Workloads and secrets of all namespaces.', hours: 168 },
  administrator: { act: 'clusters.administer', label: 'administrator', help: 'Everything, roles too.', hours: 24 },
} as const satisfies Record<string, { act: ActName; label: string; help: string; hours: number }>;
export type ClusterRole = keyof typeof clusterRoles;
export const clusterRoleNames = Object.keys(clusterRoles) as [ClusterRole, ...ClusterRole[]];
/** Hours for which a kubeconfig is good where nobody asks for another time: a shift. */
export const usualHours = 8;

/** The group that a certificate of a role names (X.509 subject, organization; Kubernetes, "X509 client certificates"). */
export const groupOf = (role: ClusterRole): string => `praesidor:${role}`;

const rbac = 'rbac.authorization.k8s.io';
interface Rbac {
  apiVersion: string;
  kind: 'ClusterRole' | 'ClusterRoleBinding';
  metadata: { name: string };
  rules?: { apiGroups: string[]; resources: string[]; verbs: string[] }[];
  roleRef?: { apiGroup: string; kind: string; name: string };
  subjects?: { apiGroup: string; kind: string; name: string }[];
}
const bound = (name: string, role: string, groups: readonly ClusterRole[]): Rbac => ({
  apiVersion: `${rbac}/v1`,
  kind: 'ClusterRoleBinding',
  metadata: { name },
  roleRef: { apiGroup: rbac, kind: 'ClusterRole', name: role },
  subjects: groups.map((g) => ({ apiGroup: rbac, kind: 'Group', name: groupOf(g) })),
});

/**
 * What the cluster has to have so that these roles are some: the user-facing roles that the API server makes itself (`view`, `edit`,
 * `cluster-admin`; Kubernetes, "Using RBAC authorization"), and beside them what belongs to no namespace, which they leave out.
 */
export const accessObjects = (): Rbac[] => [
  {
    apiVersion: `${rbac}/v1`,
    kind: 'ClusterRole',
    metadata: { name: 'praesidor-look' },
    rules: [
      { apiGroups: [''], resources: ['nodes', 'persistentvolumes'], verbs: ['get', 'list', 'watch'] },
      {
        apiGroups: ['storage.k8s.io'],
        resources: ['storageclasses', 'volumeattachments', 'csidrivers'],
        verbs: ['get', 'list', 'watch'],
      },
      { apiGroups: ['apiextensions.k8s.io'], resources: ['customresourcedefinitions'], verbs: ['get', 'list', 'watch'] },
    ],
  },
  bound('praesidor-look', 'praesidor-look', ['view', 'edit']),
  bound('praesidor-view', 'view', ['view']),
  bound('praesidor-edit', 'edit', ['edit']),
  bound('praesidor-administrator', 'cluster-admin', ['administrator']),
];
