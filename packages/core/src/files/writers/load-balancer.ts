import { controlPlane, imageOf, nodeFile, type NodeWriter } from '../kit.ts';
import { hostPort, yaml } from '../quote.ts';

/** Where the load balancer says, to its own host only, that it runs and has somebody to ask. */
export const balancerAlive = { address: '127.0.0.1', port: 8405, path: '/alive' } as const;

/** HAProxy spreads what comes to the API address over the control-plane hosts, those whose API server is ready. */
export const loadBalancer: NodeWriter = {
  name: 'API load balancer',
  write: (ctx, node) => {
    const members = controlPlane(ctx.plan);
    if (node.role !== 'control-plane' || !ctx.plan.api.address) return [];
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
      `  bind ${hostPort(ctx.plan.api.address, ctx.plan.api.port)}`,
      '  default_backend control-plane',
      'backend control-plane',
      '  option httpchk GET /readyz',
      ...members.map(
        (m) => `  server ${m.host} ${hostPort(m.address, ctx.plan.api.port)} check check-ssl verify none inter 2s fall 3 rise 2`,
      ),
      'frontend alive',
      '  mode http',
      `  bind ${hostPort(balancerAlive.address, balancerAlive.port)}`,
      `  monitor-uri ${balancerAlive.path}`,
      '  monitor fail if { nbsrv(control-plane) lt 1 }',
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
      ...(pod ? [nodeFile('/etc/kubernetes/manifests/load-balancer.yaml', yaml(pod), from)] : []),
    ];
  },
};
