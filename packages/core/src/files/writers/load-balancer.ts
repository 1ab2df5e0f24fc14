import { stringify } from 'yaml';
import { controlPlane, imageOf, nodeFile, type NodeWriter } from '../kit.ts';

/** The API address of a cluster: VRRP (RFC 9568) moves it between the control-plane hosts, HAProxy spreads it over them. */
export const loadBalancer: NodeWriter = {
  name: 'API load balancer',
  write: (ctx, node) => {
    const members = controlPlane(ctx.plan);
    if (node.role !== 'control-plane' || members.length < 2 || !ctx.plan.api.address) return [];
    const rank = members.findIndex((m) => m.host === node.host);
    const image = imageOf(ctx, 'load-balancer');
    const haproxy = [
      'global',
      '  maxconn 4000',
      'defaults',
      '  mode tcp',
      '  timeout connect 5s',
      '  timeout client 1h',
      '  timeout server 1h',
      '  timeout check 5s',
      'frontend api',
      `  bind ${ctx.plan.api.address}:6443 transparent`,
      '  default_backend control-plane',
      'backend control-plane',
      '  option httpchk GET /readyz',
      ...members.map((m) => `  server ${m.host} ${m.address}:6443 check check-ssl verify none inter 2s fall 3 rise 2`),
      '',
    ].join('\n');
    const others = members.filter((m) => m.host !== node.host);
    const keepalived = [
      'vrrp_instance api {',
      '  state BACKUP',
      `  interface ${node.nic}`,
      `  virtual_router_id ${1 + (Number(ctx.plan.api.address.split('.').at(-1)) % 255)}`,
      `  priority ${150 - rank * 10}`,
      '  advert_int 1',
      `  unicast_src_ip ${node.address}`,
      '  unicast_peer {',
      ...others.map((m) => `    ${m.address}`),
      '  }',
      '  virtual_ipaddress {',
      `    ${ctx.plan.api.address}/${ctx.plan.network?.prefix.split('/')[1] ?? 24}`,
      '  }',
      '}',
      '',
    ].join('\n');
    const from = ['charter.api', 'ledger', 'charter.controlPlane'];
    const pod = image && {
      apiVersion: 'v1',
      kind: 'Pod',
      metadata: { name: 'load-balancer', namespace: 'kube-system', labels: { component: 'load-balancer' } },
      spec: {
        hostNetwork: true,
        priorityClassName: 'system-node-critical',
        containers: [
          {
            name: 'load-balancer',
            image,
            command: ['haproxy', '-f', '/etc/haproxy/haproxy.cfg'],
            volumeMounts: [{ name: 'config', mountPath: '/etc/haproxy', readOnly: true }],
          },
        ],
        volumes: [{ name: 'config', hostPath: { path: '/etc/haproxy', type: 'Directory' } }],
      },
    };
    return [
      nodeFile('/etc/haproxy/haproxy.cfg', haproxy, from),
      nodeFile('/etc/keepalived/keepalived.conf', keepalived, from),
      ...(pod ? [nodeFile('/etc/kubernetes/manifests/load-balancer.yaml', stringify(pod, { lineWidth: 0 }), from)] : []),
    ];
  },
};
