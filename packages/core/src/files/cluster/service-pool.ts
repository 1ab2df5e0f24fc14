import { imageOf, type KitContext } from '../kit.ts';
import { accountWith, type ClusterObject, configMap, follow, nodeName, onEveryNode } from './object.ts';

/** The component of a release or an add-on that gives services addresses of the pool, and answers for them. */
export const announcer = 'service-announcer';

/** Told the pool and how it is announced (by ARP and NDP, or by BGP: its AS number, and a router a line with its own), as files in /etc/service-announcer; it writes the address into a service's status. */
export function servicePool(ctx: KitContext): ClusterObject[] {
  const image = imageOf(ctx, announcer);
  const { charter } = ctx.plan;
  if (!image || !charter.servicePool) return [];
  return [
    ...accountWith(announcer, [
      { apiGroups: [''], resources: ['services', 'nodes', 'endpoints'], verbs: follow },
      { apiGroups: [''], resources: ['services/status'], verbs: ['update', 'patch'] },
      { apiGroups: ['discovery.k8s.io'], resources: ['endpointslices'], verbs: follow },
      { apiGroups: ['coordination.k8s.io'], resources: ['leases'], verbs: [...follow, 'create', 'update'] },
      { apiGroups: [''], resources: ['events'], verbs: ['create', 'patch'] },
    ]),
    configMap(announcer, {
      range: charter.servicePool.range,
      announce: charter.servicePool.announce,
      ...(charter.servicePool.announce === 'bgp'
        ? {
            as: String(charter.servicePool.as ?? ''),
            peers: (charter.servicePool.peers ?? []).map((p) => `${p.address} ${p.as}`).join('\n'),
          }
        : {}),
    }),
    onEveryNode({
      name: announcer,
      cluster: charter.name,
      pod: {
        hostNetwork: true,
        serviceAccountName: announcer,
        containers: [
          {
            name: announcer,
            image,
            env: [nodeName],
            securityContext: { allowPrivilegeEscalation: false, capabilities: { add: ['NET_RAW', 'NET_ADMIN'], drop: ['ALL'] } },
            volumeMounts: [{ name: 'settings', mountPath: '/etc/service-announcer', readOnly: true }],
          },
        ],
        volumes: [{ name: 'settings', configMap: { name: announcer } }],
      },
    }),
  ];
}
