import { parsePrefix } from '../../address/parse.ts';
import { familiesOf } from '../../charter/families.ts';
import type { PlannedNode } from '../../charter/plan.ts';
import { controlPlane, imageOf, type KitContext, nodeFile, type NodeFile, type NodeWriter } from '../kit.ts';
import { hostPort, yaml } from '../quote.ts';
import { kubeconfigText } from './kubeconfig.ts';

const pki = '/etc/kubernetes/pki';
/** Members known when this one starts: of a build the first is alone, and each later one joins those before it; of a cluster that stands, those who stand. */
export const membersAt = (ctx: KitContext, node: PlannedNode) => {
  const all = controlPlane(ctx.plan);
  const before = all.slice(
    0,
    all.findIndex((n) => n.host === node.host),
  );
  const others = all.filter((n) => n.host !== node.host && (ctx.stands?.includes(n.host) || before.includes(n)));
  return [...others, node];
};
const peers = (ctx: KitContext, node: PlannedNode) =>
  membersAt(ctx, node)
    .map((n) => `${n.host}=https://${hostPort(n.address, 2380)}`)
    .join(',');

/** A range of each version of IP that the charter has, the first one first. */
const both = (ctx: KitContext, of: 'pods' | 'services') =>
  familiesOf(ctx.plan.charter)
    .map((f) => f[of])
    .join(',');
/** How large a node's block is: with both versions of IP each has its own setting (kube-controller-manager). */
function blockSizes(ctx: KitContext): string[] {
  const all = familiesOf(ctx.plan.charter);
  return all.map((f) => `--node-cidr-mask-size${all.length > 1 ? `-ipv${parsePrefix(f.pods).v}` : ''}=${f.perNode}`);
}

const commands: Record<string, (ctx: KitContext, node: PlannedNode) => string[]> = {
  etcd: (ctx, n) => [
    'etcd',
    `--name=${n.host}`,
    '--data-dir=/var/lib/etcd',
    `--listen-client-urls=https://127.0.0.1:2379,https://${hostPort(n.address, 2379)}`,
    `--advertise-client-urls=https://${hostPort(n.address, 2379)}`,
    `--listen-peer-urls=https://${hostPort(n.address, 2380)}`,
    `--initial-advertise-peer-urls=https://${hostPort(n.address, 2380)}`,
    `--initial-cluster=${peers(ctx, n)}`,
    `--initial-cluster-state=${membersAt(ctx, n).length > 1 ? 'existing' : 'new'}`,
    `--initial-cluster-token=${ctx.plan.charter.name}`,
    `--cert-file=${pki}/etcd/server.crt`,
    `--key-file=${pki}/etcd/server.key`,
    `--trusted-ca-file=${pki}/etcd/ca.crt`,
    `--peer-cert-file=${pki}/etcd/server.crt`,
    `--peer-key-file=${pki}/etcd/server.key`,
    `--peer-trusted-ca-file=${pki}/etcd/ca.crt`,
    '--client-cert-auth=true',
    '--peer-client-cert-auth=true',
  ],
  'kube-apiserver': (ctx, n) => [
    'kube-apiserver',
    `--advertise-address=${n.address}`,
    // The load balancer has the same port at the API address.
    `--bind-address=${n.address}`,
    `--secure-port=${ctx.plan.api.port}`,
    '--authorization-mode=Node,RBAC',
    '--enable-admission-plugins=NodeRestriction',
    // The pod network and the proxy set up their node: without this the API starts no pod that may.
    '--allow-privileged=true',
    `--client-ca-file=${pki}/ca.crt`,
    `--tls-cert-file=${pki}/apiserver.crt`,
    `--tls-private-key-file=${pki}/apiserver.key`,
    '--etcd-servers=https://127.0.0.1:2379',
    `--etcd-cafile=${pki}/etcd/ca.crt`,
    `--etcd-certfile=${pki}/apiserver-etcd-client.crt`,
    `--etcd-keyfile=${pki}/apiserver-etcd-client.key`,
    `--service-cluster-ip-range=${both(ctx, 'services')}`,
    `--service-account-key-file=${pki}/sa.pub`,
    `--service-account-signing-key-file=${pki}/sa.key`,
    '--service-account-issuer=https://kubernetes.default.svc.cluster.local',
    `--kubelet-client-certificate=${pki}/apiserver-kubelet-client.crt`,
    `--kubelet-client-key=${pki}/apiserver-kubelet-client.key`,
    `--requestheader-client-ca-file=${pki}/front-proxy-ca.crt`,
    `--proxy-client-cert-file=${pki}/front-proxy-client.crt`,
    `--proxy-client-key-file=${pki}/front-proxy-client.key`,
    `--default-not-ready-toleration-seconds=${ctx.plan.timers.tolerate}`,
    `--default-unreachable-toleration-seconds=${ctx.plan.timers.tolerate}`,
    '--requestheader-allowed-names=front-proxy-client',
    '--requestheader-username-headers=X-Remote-User',
    '--requestheader-group-headers=X-Remote-Group',
  ],
  'kube-controller-manager': (ctx) => [
    'kube-controller-manager',
    '--bind-address=127.0.0.1',
    '--kubeconfig=/etc/kubernetes/controller-manager.kubeconfig',
    '--allocate-node-cidrs=true',
    `--cluster-cidr=${both(ctx, 'pods')}`,
    ...blockSizes(ctx),
    `--service-cluster-ip-range=${both(ctx, 'services')}`,
    `--cluster-name=${ctx.plan.charter.name}`,
    `--cluster-signing-cert-file=${pki}/signing-ca.crt`,
    `--cluster-signing-key-file=${pki}/ca.key`,
    `--root-ca-file=${pki}/ca.crt`,
    `--service-account-private-key-file=${pki}/sa.key`,
    '--use-service-account-credentials=true',
    `--node-monitor-grace-period=${ctx.plan.timers.grace}s`,
    // What it signs for kubelets that renew their own holds as long as what the kit brings.
    `--cluster-signing-duration=${24 * (ctx.plan.charter.certificates?.days ?? 365)}h`,
  ],
  'kube-scheduler': () => ['kube-scheduler', '--bind-address=127.0.0.1', '--kubeconfig=/etc/kubernetes/scheduler.kubeconfig'],
};

/** Static pods of the control plane; the kubelet starts them before there is an API. */
export const staticPods: NodeWriter = {
  name: 'static pods',
  write: (ctx, node) => {
    if (node.role !== 'control-plane') return [];
    const pods = Object.entries(commands).flatMap(([name, command]): NodeFile[] => {
      const image = imageOf(ctx, name);
      if (!image) return [];
      const pod = {
        apiVersion: 'v1',
        kind: 'Pod',
        metadata: {
          name,
          namespace: 'kube-system',
          labels: { 'app.kubernetes.io/name': name, 'app.kubernetes.io/component': 'control-plane' },
        },
        spec: {
          hostNetwork: true,
          priorityClassName: 'system-node-critical',
          containers: [
            {
              name,
              image,
              imagePullPolicy: 'IfNotPresent',
              command: command(ctx, node),
              volumeMounts: [
                { name: 'kubernetes', mountPath: '/etc/kubernetes', readOnly: true },
                ...(name === 'etcd' ? [{ name: 'data', mountPath: '/var/lib/etcd' }] : []),
              ],
            },
          ],
          volumes: [
            { name: 'kubernetes', hostPath: { path: '/etc/kubernetes', type: 'Directory' } },
            ...(name === 'etcd' ? [{ name: 'data', hostPath: { path: '/var/lib/etcd', type: 'DirectoryOrCreate' } }] : []),
          ],
        },
      };
      return [
        nodeFile(`/etc/kubernetes/manifests/${name}.yaml`, yaml(pod), [
          'charter.release',
          'charter.services.range',
          'charter.pods.range',
          'charter.second',
          'ledger',
        ]),
      ];
    });
    const access = (name: string, user: string) =>
      nodeFile(
        `/etc/kubernetes/${name}.kubeconfig`,
        kubeconfigText(ctx, {
          user,
          certificate: `${name}.crt`,
          key: `${name}.key`,
          server: `https://${hostPort(node.address, ctx.plan.api.port)}`,
          serverName: ctx.plan.api.name,
        }),
        ['certificate plan'],
        { secret: true },
      );
    return [
      ...pods,
      access('controller-manager', 'system:kube-controller-manager'),
      access('scheduler', 'system:kube-scheduler'),
    ];
  },
};
