import { parseIp } from '../../address/parse.ts';
import { controlPlane, imageOf, nodeFile, type NodeWriter } from '../kit.ts';
import { hostPort, yaml } from '../quote.ts';

/** Where the load balancer says, to its own host only, that it runs and has somebody to ask. */
const alive = { address: '127.0.0.1', port: 8405, path: '/alive' } as const;

/**
 * The API address of a cluster: VRRP (RFC 9568) moves it between the control-plane hosts, HAProxy spreads it over them. It
 * leaves a host whose load balancer has ended or reaches no API server. With one control-plane host it is there, or nowhere.
 */
export const loadBalancer: NodeWriter = {
  name: 'API load balancer',
  write: (ctx, node) => {
    const members = controlPlane(ctx.plan);
    if (node.role !== 'control-plane' || !ctx.plan.api.address) return [];
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
      `  bind ${hostPort(ctx.plan.api.address, 6443)}`,
      '  default_backend control-plane',
      'backend control-plane',
      '  option httpchk GET /readyz',
      ...members.map((m) => `  server ${m.host} ${hostPort(m.address, 6443)} check check-ssl verify none inter 2s fall 3 rise 2`),
      'frontend alive',
      '  mode http',
      `  bind ${hostPort(alive.address, alive.port)}`,
      `  monitor-uri ${alive.path}`,
      '  monitor fail if { nbsrv(control-plane) lt 1 }',
      '',
    ].join('\n');
    const others = members.filter((m) => m.host !== node.host);
    const keepalived = [
      'global_defs {',
      '  enable_script_security',
      '  script_user root',
      '}',
      'vrrp_script api {',
      `  script "/usr/bin/curl -fsS -o /dev/null -m 2 http://${hostPort(alive.address, alive.port)}${alive.path}"`,
      '  interval 2',
      '  timeout 3',
      '  fall 2',
      '  rise 2',
      '}',
      'vrrp_instance api {',
      '  state BACKUP',
      `  interface ${node.nic}`,
      // By the last bits of the address: two clusters of one network have different ones mostly, and the peers tell them apart.
      `  virtual_router_id ${1 + Number(parseIp(ctx.plan.api.address).n % 255n)}`,
      `  priority ${150 - rank * 10}`,
      '  advert_int 1',
      `  unicast_src_ip ${node.address}`,
      ...(others.length ? ['  unicast_peer {', ...others.map((m) => `    ${m.address}`), '  }'] : []),
      '  track_script {',
      '    api',
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
      ...(pod ? [nodeFile('/etc/kubernetes/manifests/load-balancer.yaml', yaml(pod), from)] : []),
    ];
  },
};
