import { type ClusterWriter, componentsOf, file, imageOf, type KitContext } from '../kit.ts';
import { clusterDns } from './kubelet.ts';
import { yaml } from '../quote.ts';

type Manifest = Record<string, unknown> & { kind: string; metadata: { name: string; namespace?: string } };

const labels = (name: string) => ({ 'app.kubernetes.io/name': name });
const workload = (
  kind: 'DaemonSet' | 'Deployment',
  name: string,
  image: string,
  cluster: string,
  spec: { replicas?: number; hostNetwork?: boolean; args?: string[] } = {},
): Manifest => ({
  apiVersion: 'apps/v1',
  kind,
  metadata: { name, namespace: 'kube-system', labels: { ...labels(name), 'praesidor/cluster': cluster } } as Manifest['metadata'],
  spec: {
    ...(kind === 'Deployment' ? { replicas: spec.replicas ?? 2 } : {}),
    selector: { matchLabels: labels(name) },
    template: {
      metadata: { labels: labels(name) },
      spec: {
        ...(spec.hostNetwork ? { hostNetwork: true } : {}),
        ...(kind === 'DaemonSet' ? { tolerations: [{ operator: 'Exists' }] } : {}),
        containers: [{ name, image, ...(spec.args ? { args: spec.args } : {}) }],
      },
    },
  },
});

/** Objects that the build gives to the API, in the order in which it does. */
export function clusterObjects(
  ctx: KitContext,
): { stage: 'pod-network' | 'names' | 'inbound' | 'addons'; objects: Manifest[] }[] {
  const { plan } = ctx;
  const { charter } = plan;
  const many = Math.min(2, Math.max(1, plan.nodes.length));
  const network = imageOf(ctx, 'pod-network');
  const proxy = imageOf(ctx, 'kube-proxy');
  const dns = imageOf(ctx, 'cluster-dns');
  const router = imageOf(ctx, 'inbound-router');
  const addons = componentsOf(ctx).filter(
    (c) =>
      c.on === 'worker' &&
      charter.addons.some((a) => ctx.estate.addons.find((x) => x.name === a)?.components.includes(c)) &&
      c.name !== 'inbound-router',
  );
  return [
    {
      stage: 'pod-network',
      objects: [
        {
          apiVersion: 'v1',
          kind: 'ConfigMap',
          metadata: { name: 'pod-network', namespace: 'kube-system' },
          data: { range: charter.pods.range, overlay: charter.overlay.kind, mtu: String(plan.podMtu.pod) },
        },
        // Kubelets ask for their next certificate by themselves; without this nobody grants it, and nodes drop out after a year.
        {
          apiVersion: 'rbac.authorization.k8s.io/v1',
          kind: 'ClusterRoleBinding',
          metadata: { name: 'node-certificate-renewal' },
          roleRef: {
            apiGroup: 'rbac.authorization.k8s.io',
            kind: 'ClusterRole',
            name: 'system:certificates.k8s.io:certificatesigningrequests:selfnodeclient',
          },
          subjects: [{ apiGroup: 'rbac.authorization.k8s.io', kind: 'Group', name: 'system:nodes' }],
        },
        ...(network ? [workload('DaemonSet', 'pod-network', network, charter.name, { hostNetwork: true })] : []),
        ...(proxy
          ? [
              workload('DaemonSet', 'kube-proxy', proxy, charter.name, {
                hostNetwork: true,
                args: [`--cluster-cidr=${charter.pods.range}`],
              }),
            ]
          : []),
      ],
    },
    {
      stage: 'names',
      objects: dns
        ? [
            workload('Deployment', 'cluster-dns', dns, charter.name, { replicas: many }),
            {
              apiVersion: 'v1',
              kind: 'Service',
              metadata: { name: 'cluster-dns', namespace: 'kube-system' },
              spec: {
                clusterIP: clusterDns(charter.services.range),
                selector: labels('cluster-dns'),
                ports: [
                  { name: 'dns', port: 53, protocol: 'UDP' },
                  { name: 'dns-tcp', port: 53, protocol: 'TCP' },
                ],
              },
            },
          ]
        : [],
    },
    {
      stage: 'inbound',
      objects: router
        ? [
            workload('Deployment', 'inbound-router', router, charter.name, { replicas: many }),
            {
              apiVersion: 'v1',
              kind: 'Service',
              metadata: {
                name: 'inbound-router',
                namespace: 'kube-system',
                annotations: { 'praesidor/address': plan.inbound.address },
              } as Manifest['metadata'],
              spec: {
                type: 'LoadBalancer',
                selector: labels('inbound-router'),
                ports: [
                  { name: 'http', port: 80 },
                  { name: 'https', port: 443 },
                ],
              },
            },
          ]
        : [],
    },
    { stage: 'addons', objects: addons.map((c) => workload('DaemonSet', c.name, c.image, charter.name)) },
  ];
}

export const manifests: ClusterWriter = {
  name: 'component manifests',
  write: (ctx) =>
    clusterObjects(ctx)
      .filter((s) => s.objects.length)
      .map((s, i) =>
        file(`cluster/manifests/${i + 1}-${s.stage}.yaml`, s.objects.map((o) => yaml(o)).join('---\n'), [
          'charter.release',
          'charter.pods',
          'charter.overlay',
          'charter.addons',
        ]),
      ),
};
