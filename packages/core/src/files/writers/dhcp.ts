import { serverList } from '../../address/parse.ts';
import { type ClusterWriter, file } from '../kit.ts';

/** DHCP reservations of the nodes, for Kea (JSON) and for dnsmasq (lines). */
export const dhcp: ClusterWriter = {
  name: 'DHCP files',
  write: ({ plan }) => {
    const { network, site, nodes } = plan;
    if (!network || !site) return [];
    const options = [
      ...(network.gateway ? [{ name: 'routers', data: network.gateway }] : []),
      { name: 'domain-name-servers', data: serverList(site.resolvers).servers.join(', ') },
    ].filter((o) => o.data);
    const kea = {
      Dhcp4: {
        'interfaces-config': { interfaces: [] },
        'lease-database': { type: 'memfile' },
        subnet4: [
          {
            id: network.vlan ?? 1,
            subnet: network.prefix,
            pools: network.dhcp.map((s) => ({ pool: s.range.replace(/\s*[-–]\s*/, ' - ') })),
            'option-data': options,
            reservations: nodes
              .filter((n) => n.address && n.mac)
              .map((n) => ({ 'hw-address': n.mac, 'ip-address': n.address, hostname: n.host })),
          },
        ],
      },
    };
    const from = ['ledger', `network ${network.name}`, 'host.facts.nics'];
    return [
      file('cluster/dhcp/kea-dhcp4.json', JSON.stringify(kea, null, 2), from),
      file(
        'cluster/dhcp/dnsmasq.conf',
        [
          ...network.dhcp.map((s) => `dhcp-range=${s.range.split(/\s*[-–]\s*/).join(',')},12h`),
          ...nodes.filter((n) => n.address && n.mac).map((n) => `dhcp-host=${n.mac},${n.address},${n.host}`),
          '',
        ].join('\n'),
        from,
      ),
    ];
  },
};
