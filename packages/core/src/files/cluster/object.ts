import type { ICustomResourceDefinition } from 'kubernetes-models/apiextensions.k8s.io/v1/CustomResourceDefinition';
import type { IDaemonSet } from 'kubernetes-models/apps/v1/DaemonSet';
import type { IDeployment } from 'kubernetes-models/apps/v1/Deployment';
import type { IClusterRole } from 'kubernetes-models/rbac.authorization.k8s.io/v1/ClusterRole';
import type { IClusterRoleBinding } from 'kubernetes-models/rbac.authorization.k8s.io/v1/ClusterRoleBinding';
import type { ICSIDriver } from 'kubernetes-models/storage.k8s.io/v1/CSIDriver';
import type { IStorageClass } from 'kubernetes-models/storage.k8s.io/v1/StorageClass';
import type { IPersistentVolume } from 'kubernetes-models/v1/PersistentVolume';
import type { ISecret } from 'kubernetes-models/v1/Secret';
import type { IConfigMap } from 'kubernetes-models/v1/ConfigMap';
import type { IService } from 'kubernetes-models/v1/Service';
import type { IServiceAccount } from 'kubernetes-models/v1/ServiceAccount';

/**
 * An object that the build gives to the API. Its fields are those of the Kubernetes API (types made from its OpenAPI document):
 * what the API does not know does not compile.
 */
export type ClusterObject = (
  | IDaemonSet
  | IDeployment
  | IClusterRole
  | IClusterRoleBinding
  | IConfigMap
  | IService
  | IServiceAccount
  | ISecret
  | IPersistentVolume
  | IStorageClass
  | ICSIDriver
  | ICustomResourceDefinition
) & {
  metadata: { name: string; namespace?: string };
};
type PodSpec = NonNullable<NonNullable<IDaemonSet['spec']>['template']['spec']>;
export type Rules = NonNullable<IClusterRole['rules']>;

export const namespace = 'kube-system';
export const labelsOf = (name: string) => ({ 'app.kubernetes.io/name': name });

export const configMap = (name: string, data: Record<string, string>): ClusterObject =>
  ({ apiVersion: 'v1', kind: 'ConfigMap', metadata: { name, namespace }, data }) satisfies IConfigMap;

const rbac = 'rbac.authorization.k8s.io';
/** The account that a program has, bound to a role of the cluster that is there already. */
export const account = (name: string, role: string): ClusterObject[] => [
  { apiVersion: 'v1', kind: 'ServiceAccount', metadata: { name, namespace } } satisfies IServiceAccount,
  {
    apiVersion: `${rbac}/v1`,
    kind: 'ClusterRoleBinding',
    metadata: { name: `kit:${name}` },
    roleRef: { apiGroup: rbac, kind: 'ClusterRole', name: role },
    subjects: [{ kind: 'ServiceAccount', name, namespace }],
  } satisfies IClusterRoleBinding,
];
/** The account that a program has, with a role of its own. */
export const accountWith = (name: string, rules: Rules): ClusterObject[] => [
  { apiVersion: `${rbac}/v1`, kind: 'ClusterRole', metadata: { name: `kit:${name}` }, rules } satisfies IClusterRole,
  ...account(name, `kit:${name}`),
];
/** What every program that follows objects asks for. */
export const follow = ['get', 'list', 'watch'];

interface Workload {
  name: string;
  cluster: string;
  pod: PodSpec;
}
const meta = ({ name, cluster }: Workload) => ({ name, namespace, labels: { ...labelsOf(name), 'praesidor/cluster': cluster } });

/** One pod on every node, whatever its taints: what a node needs to be one. */
export const onEveryNode = (w: Workload): ClusterObject =>
  ({
    apiVersion: 'apps/v1',
    kind: 'DaemonSet',
    metadata: meta(w),
    spec: {
      selector: { matchLabels: labelsOf(w.name) },
      updateStrategy: { type: 'RollingUpdate', rollingUpdate: { maxUnavailable: 1 } },
      template: {
        metadata: { labels: labelsOf(w.name) },
        spec: { priorityClassName: 'system-node-critical', tolerations: [{ operator: 'Exists' }], ...w.pod },
      },
    },
  }) satisfies IDaemonSet;

/** One pod on every worker. */
export const onWorkers = (w: Workload): ClusterObject =>
  ({
    apiVersion: 'apps/v1',
    kind: 'DaemonSet',
    metadata: meta(w),
    spec: { selector: { matchLabels: labelsOf(w.name) }, template: { metadata: { labels: labelsOf(w.name) }, spec: w.pod } },
  }) satisfies IDaemonSet;

/** So many pods, on different nodes where that is possible. */
export const copies = (replicas: number, w: Workload): ClusterObject =>
  ({
    apiVersion: 'apps/v1',
    kind: 'Deployment',
    metadata: meta(w),
    spec: {
      replicas,
      selector: { matchLabels: labelsOf(w.name) },
      template: {
        metadata: { labels: labelsOf(w.name) },
        spec: {
          priorityClassName: 'system-cluster-critical',
          affinity: {
            podAntiAffinity: {
              preferredDuringSchedulingIgnoredDuringExecution: [
                {
                  weight: 100,
                  podAffinityTerm: { labelSelector: { matchLabels: labelsOf(w.name) }, topologyKey: 'kubernetes.io/hostname' },
                },
              ],
            },
          },
          ...w.pod,
        },
      },
    },
  }) satisfies IDeployment;

/** The name of the node that a pod runs on, as its program is told it. */
export const nodeName = { name: 'NODE_NAME', valueFrom: { fieldRef: { fieldPath: 'spec.nodeName' } } };
