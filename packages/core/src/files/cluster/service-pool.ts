import { announcer } from '../../model/announcer.ts';
import { answeringNodes } from '../../reach/announce.ts';
import { imageOf, type KitContext, tolerations } from '../kit.ts';
import { accountWith, type ClusterObject, configMap, follow, nodeName, onEveryNode } from './object.ts';

/**
 * Told the pool and how it is announced, as files in /etc/service-announcer; it writes the address into a service's status. By ARP and NDP, or by BGP: its AS number, a
 * router a line with its own, the hold timer in seconds, and BFD as milliseconds and packets missed. `services` has a planned service a line, with its address. By ARP and
 * NDP the node that answers for an address keeps a Lease in kube-system, `address-10-62-8-66`: who it is, and since when.
 */
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
            ...(charter.servicePool.hold ? { hold: String(charter.servicePool.hold) } : {}),
            ...(charter.servicePool.bfd ? { bfd: `${charter.servicePool.bfd.interval} ${charter.servicePool.bfd.missed}` } : {}),
          }
        : {}),
      // A planned service has the address that it was given, whoever asks first.
      ...(ctx.plan.services.length
        ? { services: ctx.plan.services.flatMap((s) => (s.address ? [`${s.namespace}/${s.name} ${s.address}`] : [])).join('\n') }
        : {}),
    }),
    onEveryNode({
      name: announcer,
      cluster: charter.name,
      pod: {
        // Not past the taint of the control plane: where there are workers, they answer.
        tolerations: [{ operator: 'Exists', effect: 'NoExecute' }, ...tolerations(answeringNodes(ctx.plan))],
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
