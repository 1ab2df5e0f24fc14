import { at, each, planFor } from '../check.ts';

export const SVC010 = each('Charter', {
  code: 'SVC-010',
  severity: 'note',
  about: 'services depend on one host each, and the routers could share them',
  find: (c, view) => {
    const pool = c.servicePool;
    const services = pool?.services?.length ?? 0;
    if (pool?.announce !== 'arp' || !services) return [];
    const gateway = view.by('Gateway', 'networks', c.machineNetwork).find((g) => g.bgp);
    const [arp, bgp] = planFor(view, c).announcing;
    if (!gateway || !arp || !bgp) return [];
    return [
      at(c, ['servicePool', 'announce'], {
        title: `${services === 1 ? 'A service depends' : `${services} services depend`} on one host each`,
        text: `By ARP and NDP each is limited to ${arp.ceiling ?? '?'} Gbit/s and out for ${arp.outage} s when that host dies. ${gateway.name} speaks BGP: ${bgp.carriers} nodes would share it.`,
        remedy: {
          label: 'Compare with BGP',
          act: { kind: 'open' as const, path: `/clusters/${c.name}?tab=reach&site=${c.site}` },
        },
      }),
    ];
  },
});
