import { familiesOf } from '../../charter/families.ts';
import { imageOf, type KitContext } from '../kit.ts';
import { clusterDns as addressIn } from '../writers/kubelet.ts';
import { accountWith, type ClusterObject, configMap, copies, follow, labelsOf } from './object.ts';

const name = 'cluster-dns';

/**
 * The DNS of the cluster: the release's own program, at the address that every kubelet gives to pods. It is told its zone, the
 * ranges that it answers for in reverse and whom it asks for everything else, as files in /etc/cluster-dns.
 */
export function clusterDns(ctx: KitContext): ClusterObject[] {
  const image = imageOf(ctx, name);
  const { charter, nodes } = ctx.plan;
  if (!image) return [];
  const ports = [
    { name: 'dns', containerPort: 53, protocol: 'UDP' as const },
    { name: 'dns-tcp', containerPort: 53, protocol: 'TCP' as const },
  ];
  return [
    ...accountWith(name, [
      { apiGroups: [''], resources: ['services', 'endpoints', 'pods', 'namespaces'], verbs: follow },
      { apiGroups: ['discovery.k8s.io'], resources: ['endpointslices'], verbs: follow },
    ]),
    configMap(name, {
      zone: 'cluster.local',
      reverse: familiesOf(charter)
        .flatMap((f) => [f.services, f.pods])
        .join('\n'),
      // Of the node: its resolvers, and not the cluster's own address.
      upstream: '/etc/resolv.conf',
    }),
    copies(Math.min(2, Math.max(1, nodes.length)), {
      name,
      cluster: charter.name,
      pod: {
        serviceAccountName: name,
        dnsPolicy: 'Default',
        containers: [
          {
            name,
            image,
            ports,
            securityContext: { allowPrivilegeEscalation: false, capabilities: { add: ['NET_BIND_SERVICE'], drop: ['ALL'] } },
            readinessProbe: { tcpSocket: { port: 'dns-tcp' }, periodSeconds: 5 },
            volumeMounts: [{ name: 'settings', mountPath: '/etc/cluster-dns', readOnly: true }],
          },
        ],
        volumes: [{ name: 'settings', configMap: { name } }],
      },
    }),
    {
      apiVersion: 'v1',
      kind: 'Service',
      metadata: { name, namespace: 'kube-system' },
      spec: {
        clusterIP: addressIn(charter.services.range),
        ...(charter.second ? { ipFamilyPolicy: 'PreferDualStack' } : {}),
        selector: labelsOf(name),
        ports: ports.map((p) => ({ name: p.name, port: 53, targetPort: p.name, protocol: p.protocol })),
      },
    },
  ];
}
