import * as extensions from 'kubernetes-models/apiextensions.k8s.io/v1';
import * as apps from 'kubernetes-models/apps/v1';
import * as networking from 'kubernetes-models/networking.k8s.io/v1';
import * as policy from 'kubernetes-models/policy/v1';
import * as rbac from 'kubernetes-models/rbac.authorization.k8s.io/v1';
import * as storage from 'kubernetes-models/storage.k8s.io/v1';
import * as core from 'kubernetes-models/v1';

export interface KubeObject {
  apiVersion: string;
  kind: string;
  metadata: { name: string; namespace?: string; labels?: Record<string, string> } & Record<string, unknown>;
  // biome-ignore lint/suspicious/noExplicitAny: an object is what somebody sent
  spec?: any;
  data?: Record<string, string>;
  [key: string]: unknown;
}

export interface Known {
  group: string;
  version: string;
  resource: string;
  namespaced: boolean;
  short?: string;
  /** What the API's own description (OpenAPI) says of its fields. */
  model?: new (
    data: never,
  ) => { validate(): void };
}
const known: Record<string, Known> = {
  Node: { group: '', version: 'v1', resource: 'nodes', namespaced: false, short: 'no' },
  Namespace: { group: '', version: 'v1', resource: 'namespaces', namespaced: false, short: 'ns', model: core.Namespace },
  Pod: { group: '', version: 'v1', resource: 'pods', namespaced: true, short: 'po' },
  Event: { group: '', version: 'v1', resource: 'events', namespaced: true, short: 'ev' },
  Endpoints: { group: '', version: 'v1', resource: 'endpoints', namespaced: true, short: 'ep' },
  Service: { group: '', version: 'v1', resource: 'services', namespaced: true, short: 'svc', model: core.Service },
  ConfigMap: { group: '', version: 'v1', resource: 'configmaps', namespaced: true, short: 'cm', model: core.ConfigMap },
  Secret: { group: '', version: 'v1', resource: 'secrets', namespaced: true, model: core.Secret },
  ServiceAccount: {
    group: '',
    version: 'v1',
    resource: 'serviceaccounts',
    namespaced: true,
    short: 'sa',
    model: core.ServiceAccount,
  },
  PersistentVolume: {
    group: '',
    version: 'v1',
    resource: 'persistentvolumes',
    namespaced: false,
    short: 'pv',
    model: core.PersistentVolume,
  },
  PersistentVolumeClaim: {
    group: '',
    version: 'v1',
    resource: 'persistentvolumeclaims',
    namespaced: true,
    short: 'pvc',
    model: core.PersistentVolumeClaim,
  },
  DaemonSet: { group: 'apps', version: 'v1', resource: 'daemonsets', namespaced: true, short: 'ds', model: apps.DaemonSet },
  Deployment: {
    group: 'apps',
    version: 'v1',
    resource: 'deployments',
    namespaced: true,
    short: 'deploy',
    model: apps.Deployment,
  },
  StatefulSet: {
    group: 'apps',
    version: 'v1',
    resource: 'statefulsets',
    namespaced: true,
    short: 'sts',
    model: apps.StatefulSet,
  },
  ClusterRole: {
    group: 'rbac.authorization.k8s.io',
    version: 'v1',
    resource: 'clusterroles',
    namespaced: false,
    model: rbac.ClusterRole,
  },
  ClusterRoleBinding: {
    group: 'rbac.authorization.k8s.io',
    version: 'v1',
    resource: 'clusterrolebindings',
    namespaced: false,
    model: rbac.ClusterRoleBinding,
  },
  NetworkPolicy: {
    group: 'networking.k8s.io',
    version: 'v1',
    resource: 'networkpolicies',
    namespaced: true,
    model: networking.NetworkPolicy,
  },
  Ingress: { group: 'networking.k8s.io', version: 'v1', resource: 'ingresses', namespaced: true, model: networking.Ingress },
  StorageClass: {
    group: 'storage.k8s.io',
    version: 'v1',
    resource: 'storageclasses',
    namespaced: false,
    short: 'sc',
    model: storage.StorageClass,
  },
  CustomResourceDefinition: {
    group: 'apiextensions.k8s.io',
    version: 'v1',
    resource: 'customresourcedefinitions',
    namespaced: false,
    short: 'crd',
    model: extensions.CustomResourceDefinition,
  },
  CSIDriver: { group: 'storage.k8s.io', version: 'v1', resource: 'csidrivers', namespaced: false, model: storage.CSIDriver },
  PodDisruptionBudget: {
    group: 'policy',
    version: 'v1',
    resource: 'poddisruptionbudgets',
    namespaced: true,
    short: 'pdb',
    model: policy.PodDisruptionBudget,
  },
  Lease: { group: 'coordination.k8s.io', version: 'v1', resource: 'leases', namespaced: true },
  CertificateSigningRequest: {
    group: 'certificates.k8s.io',
    version: 'v1',
    resource: 'certificatesigningrequests',
    namespaced: false,
    short: 'csr',
  },
};
/** Kinds that the API server has by itself, and those that somebody defined (Kubernetes documentation, "CustomResourceDefinition"). */
export type Kinds = ReadonlyMap<string, Known>;
export const ownKinds: Kinds = new Map(Object.entries(known));
export function kindsWith(given: Iterable<KubeObject>): Kinds {
  const out = new Map(ownKinds);
  for (const o of given) {
    if (o.kind !== 'CustomResourceDefinition') continue;
    const { group, names, scope, versions } = o.spec as {
      group: string;
      names: { plural: string; kind: string };
      scope: string;
      versions: { name: string; served: boolean }[];
    };
    if (o.metadata.name !== `${names.plural}.${group}`) continue;
    for (const v of versions)
      if (v.served) out.set(names.kind, { group, version: v.name, resource: names.plural, namespaced: scope === 'Namespaced' });
  }
  return out;
}
const versionOf = (k: Known) => (k.group ? `${k.group}/${k.version}` : k.version);

/** What a path of the API names: a resource, of a namespace or not, one of them or all; undefined: nothing that is served. */
export function named(
  path: string,
  kinds: Kinds = ownKinds,
): { kind: string; group: string; resource: string; namespace?: string; name?: string } | undefined {
  const m = /^\/(?:api\/(v1)|apis\/([a-z0-9.]+)\/(v1))(?:\/namespaces\/([a-z0-9-]+))?\/([a-z]+)(?:\/([A-Za-z0-9:._-]+))?$/.exec(
    path,
  );
  if (!m) return undefined;
  const [, , group = '', , namespace, resource, name] = m;
  const found = [...kinds].find(([, k]) => k.group === group && k.resource === resource && (k.namespaced || !namespace));
  if (!found) return undefined;
  return { kind: found[0], group, resource: found[1].resource, ...(namespace ? { namespace } : {}), ...(name ? { name } : {}) };
}
export const apiVersionOf = (kind: string, kinds: Kinds = ownKinds): string => versionOf(kinds.get(kind) as Known);

/**
 * Why the API does not take an object, as it says so; undefined: it does. The fields are held against the API's description;
 * what else it looks at is told in its reference (selectors, mounts, names).
 */
export function refusal(kind: string, object: KubeObject, at: { namespace?: string; name?: string }): string | undefined {
  const k = ownKinds.get(kind);
  if (!k) return `${kind} is written by its own program alone`;
  if (object.kind !== kind || object.apiVersion !== versionOf(k)) return `the object is no ${kind} of ${versionOf(k)}`;
  if (object.metadata?.name !== at.name) return 'the name of the object does not match the name on the URL';
  if (k.namespaced && object.metadata.namespace !== at.namespace)
    return 'the namespace of the object does not match the one on the URL';
  if (!k.model) return `${k.resource} are not written here`;
  try {
    new k.model(object as never).validate();
  } catch (e) {
    return (e as Error).message;
  }
  const template = object.spec?.template;
  if (template) {
    const labels = (template.metadata?.labels ?? {}) as Record<string, string>;
    const wanted = Object.entries((object.spec.selector?.matchLabels ?? {}) as Record<string, string>);
    if (!wanted.length || wanted.some(([key, value]) => labels[key] !== value))
      return '`selector` does not match template `labels`';
    const volumes = new Set([
      ...((template.spec.volumes ?? []) as { name: string }[]).map((v) => v.name),
      ...((object.spec.volumeClaimTemplates ?? []) as KubeObject[]).map((v) => v.metadata.name),
    ]);
    const containers = [...(template.spec.initContainers ?? []), ...template.spec.containers] as {
      name: string;
      volumeMounts?: { name: string }[];
    }[];
    if (new Set(containers.map((c) => c.name)).size < containers.length) return 'two containers have one name';
    for (const c of containers)
      for (const mount of c.volumeMounts ?? [])
        if (!volumes.has(mount.name)) return `spec.template.spec.containers[${c.name}].volumeMounts: not found: "${mount.name}"`;
  }
  if (kind === 'ClusterRoleBinding' && !(object.subjects as unknown[] | undefined)?.length) return 'subjects: required value';
  return undefined;
}

const document = (k: Known, kind: string) => ({
  name: k.resource,
  singularName: kind.toLowerCase(),
  namespaced: k.namespaced,
  kind,
  verbs: ['get', 'list', 'watch', 'patch', 'create', 'delete'],
  ...(k.short ? { shortNames: [k.short] } : {}),
});
/** Documents of discovery by their paths. */
export const discoveryOf = (kinds: Kinds = ownKinds): Record<string, object> => documents([...kinds]);
const documents = (entries: [string, Known][]): Record<string, object> => ({
  '/api': { kind: 'APIVersions', versions: ['v1'] },
  '/apis': {
    kind: 'APIGroupList',
    apiVersion: 'v1',
    groups: [...new Set(entries.map(([, k]) => k.group).filter(Boolean))].map((name) => ({
      name,
      versions: [{ groupVersion: `${name}/v1`, version: 'v1' }],
      preferredVersion: { groupVersion: `${name}/v1`, version: 'v1' },
    })),
  },
  ...Object.fromEntries(
    [...new Set(entries.map(([, k]) => versionOf(k)))].map((groupVersion) => [
      groupVersion === 'v1' ? '/api/v1' : `/apis/${groupVersion}`,
      {
        kind: 'APIResourceList',
        apiVersion: 'v1',
        groupVersion,
        resources: entries.filter(([, k]) => versionOf(k) === groupVersion).map(([kind, k]) => document(k, kind)),
      },
    ]),
  ),
});
