import { imageOf, type KitContext, keptFor, placedOn } from '../kit.ts';
import { accountWith, type ClusterObject, copies, follow, labelsOf } from './object.ts';

const name = 'inbound-router';

/**
 * What is published comes in here. The inbound address is the service's own on every node; VRRP brings it to one of them
 * (`keepalived.conf`), and from there the service's rules lead to a router.
 */
export function inbound(ctx: KitContext): ClusterObject[] {
  const image = imageOf(ctx, name);
  const { charter, nodes, inbound: at } = ctx.plan;
  if (!image) return [];
  const ports = [
    { name: 'http', port: 80, containerPort: 8080 },
    { name: 'https', port: 443, containerPort: 8443 },
  ];
  return [
    ...accountWith(name, [
      { apiGroups: [''], resources: ['services', 'endpoints', 'secrets', 'namespaces'], verbs: follow },
      { apiGroups: ['discovery.k8s.io'], resources: ['endpointslices'], verbs: follow },
      { apiGroups: ['networking.k8s.io'], resources: ['ingresses', 'ingressclasses'], verbs: follow },
      { apiGroups: ['networking.k8s.io'], resources: ['ingresses/status'], verbs: ['update', 'patch'] },
    ]),
    copies(Math.min(2, Math.max(1, keptFor(ctx.plan, 'inbound').length || nodes.length)), {
      name,
      cluster: charter.name,
      pod: {
        serviceAccountName: name,
        ...placedOn(ctx.plan, 'inbound'),
        containers: [
          {
            name,
            image,
            ports: ports.map((p) => ({ name: p.name, containerPort: p.containerPort, protocol: 'TCP' as const })),
            readinessProbe: { tcpSocket: { port: 'https' }, periodSeconds: 5 },
            securityContext: { allowPrivilegeEscalation: false, capabilities: { drop: ['ALL'] } },
          },
        ],
      },
    }),
    {
      apiVersion: 'v1',
      kind: 'Service',
      metadata: { name, namespace: 'kube-system', annotations: { 'praesidor/name': at.name } },
      spec: {
        selector: labelsOf(name),
        ...(at.address ? { externalIPs: [at.address] } : {}),
        ...(charter.second ? { ipFamilyPolicy: 'PreferDualStack' } : {}),
        ports: ports.map((p) => ({ name: p.name, port: p.port, targetPort: p.name, protocol: 'TCP' as const })),
      },
    },
  ];
}
