import { bits, formatIp, parsePrefix } from '../../address/parse.ts';
import { nodeFile, type NodeWriter } from '../kit.ts';
import { environment, yaml } from '../quote.ts';
import { taintOf } from '../taint.ts';
import { kubeconfigText } from './kubeconfig.ts';

/** The cluster DNS address: the tenth of the service range, as is the custom. */
export function clusterDns(range: string): string {
  const p = parsePrefix(range);
  return formatIp({ v: p.v, n: p.n + BigInt(Math.min(10, 2 ** Math.min(20, bits(p.v) - p.length) - 2)) });
}

/** The kubelet's configuration and its way to the API. */
export const kubelet: NodeWriter = {
  name: 'kubelet',
  write: (ctx, node) => {
    const { charter, api } = ctx.plan;
    // Where there are no workers, the control plane runs what they would.
    const alone = !ctx.plan.nodes.some((n) => n.role === 'worker');
    const taints = [
      ...(node.role === 'control-plane' && !alone ? ['node-role.kubernetes.io/control-plane:NoSchedule'] : []),
      ...node.taints,
    ].map(taintOf);
    const config = {
      apiVersion: 'kubelet.config.k8s.io/v1beta1',
      kind: 'KubeletConfiguration',
      clusterDomain: 'cluster.local',
      clusterDNS: [clusterDns(charter.services.range)],
      maxPods: ctx.plan.room.podsPerNode,
      staticPodPath: '/etc/kubernetes/manifests',
      cgroupDriver: 'systemd',
      containerRuntimeEndpoint: 'unix:///run/containerd/containerd.sock',
      // Not the local stub: the cluster's DNS, which is given this file, would ask itself.
      resolvConf: '/run/systemd/resolve/resolv.conf',
      rotateCertificates: true,
      nodeLeaseDurationSeconds: ctx.plan.timers.lease,
      shutdownGracePeriod: `${ctx.plan.timers.stop}s`,
      shutdownGracePeriodCriticalPods: `${Math.floor(ctx.plan.timers.stop / 3)}s`,
      systemReserved: { cpu: '500m', memory: '1Gi' },
      kubeReserved: { cpu: '500m', memory: '1Gi' },
      evictionHard: { 'memory.available': '100Mi', 'nodefs.available': '10%' },
      authentication: {
        anonymous: { enabled: false },
        x509: { clientCAFile: '/etc/kubernetes/pki/ca.crt' },
        webhook: { enabled: true },
      },
      authorization: { mode: 'Webhook' },
      tlsCertFile: '/etc/kubernetes/pki/kubelet.crt',
      tlsPrivateKeyFile: '/etc/kubernetes/pki/kubelet.key',
      ...(taints.length ? { registerWithTaints: taints } : {}),
    };
    const labels = [
      `topology.kubernetes.io/zone=${node.zone || 'none'}`,
      `topology.kubernetes.io/region=${charter.site}`,
      ...node.labels,
    ].join(',');
    return [
      nodeFile('/etc/kubernetes/kubelet.yaml', yaml(config), [
        'charter.services.range',
        'charter.pods.most',
        'charter.timers',
        'charter.workers',
        'charter.pools',
      ]),
      nodeFile(
        '/etc/systemd/system/kubelet.service',
        `[Unit]
Description=Kubelet of ${node.host}, ${node.role} of ${charter.name}
Wants=network-online.target containerd.service
After=network-online.target containerd.service

[Service]
EnvironmentFile=/etc/kubernetes/kubelet.env
ExecStart=/usr/bin/kubelet $KUBELET_ARGS
Restart=always
RestartSec=5

[Install]
WantedBy=multi-user.target
`,
        ['charter.name'],
      ),
      nodeFile(
        '/etc/kubernetes/kubelet.env',
        `${environment('KUBELET_ARGS', `--config=/etc/kubernetes/kubelet.yaml --kubeconfig=/etc/kubernetes/kubelet.kubeconfig --hostname-override=${node.host} --node-ip=${[node.address, node.second?.address].filter(Boolean).join(',')} --node-labels=${labels}`)}\n`,
        ['host.zone', 'ledger', 'charter.workers', 'charter.pools'],
      ),
      nodeFile(
        '/etc/kubernetes/kubelet.kubeconfig',
        kubeconfigText(ctx, {
          user: `system:node:${node.host}`,
          certificate: `kubelet-${node.host}.crt`,
          key: `kubelet-${node.host}.key`,
          server: `https://${api.name}:${api.port}`,
        }),
        ['charter.api.name'],
        { secret: true },
      ),
    ];
  },
};
