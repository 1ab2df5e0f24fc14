import { bits, parsePrefix } from '../../address/parse.ts';
import { resolversOf } from '../../naming/servers.ts';
import { nodeFile, type NodeWriter } from '../kit.ts';

/**
 * The network of a node for systemd-networkd (systemd.link(5), systemd.network(5)). It travels in user-data: versions of
 * cloud-init that read first-boot data over HTTP do not all ask for a network configuration beside it.
 */
export const network: NodeWriter = {
  name: 'network',
  write: ({ plan }, node) => {
    const n = plan.network;
    if (!n) return [];
    const from = ['network', 'site.resolvers', 'ledger', 'host.facts.nics'];
    const match = ['[Match]', `MACAddress=${node.mac}`];
    const via = (to: string | undefined, gateway: string) => [
      '',
      '[Route]',
      ...(to ? [`Destination=${to}`] : []),
      `Gateway=${gateway}`,
    ];
    const length = n.prefix.split('/')[1] ?? String(bits(parsePrefix(n.prefix).v));
    return [
      nodeFile(
        '/etc/systemd/network/10-machine.link',
        [...match, '', '[Link]', `Name=${node.nic}`, `MTUBytes=${n.mtu}`].join('\n'),
        from,
      ),
      nodeFile(
        '/etc/systemd/network/10-machine.network',
        [
          ...match,
          '',
          '[Link]',
          `MTUBytes=${n.mtu}`,
          '',
          '[Network]',
          `Address=${node.address}/${length}`,
          ...resolversOf(plan.site, n).map((r) => `DNS=${r}`),
          ...(plan.site ? [`Domains=${plan.site.domain}`] : []),
          'DHCP=no',
          'IPv6AcceptRA=no',
          'LinkLocalAddressing=ipv6',
          ...(n.gateway ? via(undefined, n.gateway) : []),
          ...n.routes.flatMap((r) => via(r.to, r.via)),
        ].join('\n'),
        from,
      ),
    ];
  },
};
