import { dhcpNetworks, dnsmasqConf, keaJson, pxeOf } from '../../ledger/dhcp.ts';
import { type ClusterWriter, file } from '../kit.ts';

/** DHCP reservations of the site, the cluster's nodes among them, for Kea (JSON) and for dnsmasq (lines). */
export const dhcp: ClusterWriter = {
  name: 'DHCP files',
  write: ({ plan, estate, server }) => {
    const { network, site } = plan;
    if (!network || !site) return [];
    const held = new Set(estate.reservations.map((r) => `${r.network} ${r.address}`));
    const ledger = [...estate.reservations, ...plan.reservations.filter((r) => !held.has(`${r.network} ${r.address}`))];
    const list = dhcpNetworks(site, [network], ledger);
    const from = ['ledger', `network ${network.name}`, 'host.facts.nics'];
    const pxe = server ? pxeOf(estate, site.name, server) : undefined;
    return [
      file('cluster/dhcp/kea-dhcp4.json', keaJson(list, pxe), from),
      file('cluster/dhcp/dnsmasq.conf', dnsmasqConf(list, pxe), from),
    ];
  },
};
