import type { TLSSocket } from 'node:tls';
import type { KubeObject } from './kinds.ts';

interface Rule {
  apiGroups?: string[];
  resources?: string[];
  verbs: string[];
}
const read = ['get', 'list', 'watch'];
const write = ['create', 'delete', 'deletecollection', 'patch', 'update'];
/** What `view` and `edit` are about: what stands in a namespace, without secrets and without roles. */
const workloads: [group: string, resources: string[]][] = [
  [
    '',
    [
      'configmaps',
      'endpoints',
      'persistentvolumeclaims',
      'pods',
      'pods/log',
      'pods/status',
      'replicationcontrollers',
      'serviceaccounts',
      'services',
      'services/status',
    ],
  ],
  ['apps', ['daemonsets', 'deployments', 'deployments/scale', 'replicasets', 'statefulsets', 'statefulsets/scale']],
  ['autoscaling', ['horizontalpodautoscalers']],
  ['batch', ['cronjobs', 'jobs']],
  ['networking.k8s.io', ['ingresses', 'networkpolicies']],
  ['policy', ['poddisruptionbudgets']],
];
const looksAt: Rule[] = [
  ...workloads.map(([g, resources]) => ({ apiGroups: [g], resources, verbs: read })),
  { apiGroups: [''], resources: ['events', 'limitranges', 'namespaces', 'resourcequotas'], verbs: read },
  { apiGroups: ['discovery.k8s.io'], resources: ['endpointslices'], verbs: read },
];
/** Roles that the API server makes itself (Kubernetes, "Using RBAC authorization", default and user-facing roles), as far as they are asked for here. */
const builtIn: Record<string, Rule[]> = {
  'cluster-admin': [{ apiGroups: ['*'], resources: ['*'], verbs: ['*'] }],
  view: looksAt,
  edit: [
    ...looksAt,
    ...workloads.map(([g, resources]) => ({ apiGroups: [g], resources, verbs: write })),
    { apiGroups: [''], resources: ['secrets'], verbs: [...read, ...write] },
    { apiGroups: [''], resources: ['pods/attach', 'pods/exec', 'pods/portforward', 'pods/eviction'], verbs: ['create'] },
  ],
  'system:node-proxier': [
    { apiGroups: [''], resources: ['services', 'endpoints'], verbs: ['list', 'watch'] },
    { apiGroups: ['discovery.k8s.io'], resources: ['endpointslices'], verbs: ['list', 'watch'] },
    { apiGroups: [''], resources: ['nodes'], verbs: ['get', 'list', 'watch'] },
  ],
};
const has = (list: string[] | undefined, what: string) => (list ?? []).some((x) => x === what || x === '*');

interface Subject {
  kind: string;
  name: string;
  namespace?: string;
}
/** Whether an account of a program may do that: by the roles that are bound to it. */
export const may = (objects: readonly KubeObject[], account: string, verb: string, group: string, resource: string): boolean =>
  bound(objects, (s) => s.kind === 'ServiceAccount' && `${s.namespace}/${s.name}` === account, verb, group, resource);

/** Who a client certificate says that somebody is: the name, and the groups (Kubernetes, "X509 client certificates"). */
export interface Person {
  user: string;
  groups: readonly string[];
}
/** Whoever is at the other end of a connection, by the certificate that they showed. */
export function personOf(socket: Pick<TLSSocket, 'getPeerCertificate'>): Person {
  // An organization that is named several times comes as a list.
  const { CN, O } = (socket.getPeerCertificate().subject ?? {}) as { CN?: string | string[]; O?: string | string[] };
  return { user: [CN ?? ''].flat()[0] ?? '', groups: O === undefined ? [] : [O].flat() };
}
/** In whose name they ask: their own, or that of the headers. */
export function actsAs(shows: Person, headers: Record<string, string | string[] | undefined>): Person {
  const { 'impersonate-user': user, 'impersonate-group': group } = headers;
  return user === undefined && group === undefined ? shows : { user: String(user ?? ''), groups: [group ?? []].flat() };
}
/** The group of those who may do everything, whatever roles there are. */
const masters = 'system:masters';
/** What nodes may do is not looked at here. */
const nodes = 'system:nodes';
/** Whether somebody with a client certificate may do that. */
export const personMay = (
  objects: readonly KubeObject[],
  { user, groups }: Person,
  verb: string,
  group: string,
  resource: string,
): boolean =>
  groups.includes(masters) ||
  groups.includes(nodes) ||
  bound(
    objects,
    (s) => (s.kind === 'Group' && groups.includes(s.name)) || (s.kind === 'User' && s.name === user),
    verb,
    group,
    resource,
  );

function bound(
  objects: readonly KubeObject[],
  is: (s: Subject) => boolean,
  verb: string,
  group: string,
  resource: string,
): boolean {
  return objects
    .filter((o) => o.kind === 'ClusterRoleBinding')
    .filter((b) => ((b.subjects ?? []) as Subject[]).some(is))
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

/** The verb that a request is asked by (Kubernetes, "Authorization overview"). */
export function verbOf(method: string, query: URLSearchParams, named: boolean): string {
  const verbs: Record<string, string> = {
    POST: 'create',
    PUT: 'update',
    PATCH: 'patch',
    DELETE: named ? 'delete' : 'deletecollection',
  };
  if (verbs[method]) return verbs[method];
  return ['true', '1'].includes(query.get('watch') ?? '') ? 'watch' : named ? 'get' : 'list';
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

/** What a request is about, as a path of the API names it. */
interface Asked {
  resource: string;
  group: string;
  namespace?: string;
  name?: string;
}
/**
 * What whoever asks may: `refused` says why they may not ask in the name that their headers give; `why`, why they may not do one
 * thing, and nothing where they may.
 */
export function rightsOf(
  given: readonly KubeObject[],
  socket: Pick<TLSSocket, 'getPeerCertificate'>,
  headers: Record<string, string | string[] | undefined>,
): { refused: string | undefined; why: (of: Asked, verb: string) => string | undefined } {
  const shows = personOf(socket);
  const person = actsAs(shows, headers);
  // Somebody else's name is taken by who may impersonate (Kubernetes, "User impersonation").
  const taken = person !== shows && !personMay(given, shows, 'impersonate', '', 'users');
  return {
    refused: taken
      ? `users "${person.user}" is forbidden: User "${shows.user}" cannot impersonate resource "users" in API group "" at the cluster scope`
      : undefined,
    why: (of, verb) =>
      personMay(given, person, verb, of.group, of.resource)
        ? undefined
        : `${of.resource}${of.group ? `.${of.group}` : ''}${of.name ? ` "${of.name}"` : ''} is forbidden: User "${person.user}" cannot ${verb} resource "${of.resource}" in API group "${of.group}" ${of.namespace ? `in the namespace "${of.namespace}"` : 'at the cluster scope'}`,
  };
}
