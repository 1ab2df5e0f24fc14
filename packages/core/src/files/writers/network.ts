import { bits, parsePrefix } from '../../address/parse.ts';
import { lowerLinkOf, uplinkOf } from '../../charter/uplink.ts';
import { resolversOf } from '../../naming/servers.ts';
import { nodeFile, type NodeWriter } from '../kit.ts';

/** What has no address of its own, and what has one that nobody gives it. */
const bareLink = ['DHCP=no', 'IPv6AcceptRA=no', 'LinkLocalAddressing=no'];
const quiet = ['DHCP=no', 'IPv6AcceptRA=no', 'LinkLocalAddressing=ipv6'];

/**
 * The network of a node for systemd-networkd (systemd.link(5), systemd.network(5), systemd.netdev(5)). It travels in user-data: versions
 * of cloud-init that read first-boot data over HTTP do not all ask for a network configuration beside it. Adapters are told by their
 * own address: those of a bond take the bond's.
 */
export const network: NodeWriter = {
  name: 'network',
  write: ({ plan }, node) => {
    const n = plan.network;
    if (!n) return [];
    const from = ['network', 'site.resolvers', 'ledger', 'host.facts.nics', 'host.uplink'];
    const unit = (name: string, lines: string[]) => nodeFile(`/etc/systemd/network/${name}`, lines.join('\n'), from);
    const via = (to: string | undefined, gateway: string) => [
      '',
      '[Route]',
      ...(to ? [`Destination=${to}`] : []),
      `Gateway=${gateway}`,
    ];
    const length = n.prefix.split('/')[1] ?? String(bits(parsePrefix(n.prefix).v));
    const mtu = ['', '[Link]', `MTUBytes=${n.mtu}`];
    const addressed = [
      `Address=${node.address}/${length}`,
      ...(node.second ? [`Address=${node.second.address}/${node.second.length}`] : []),
      ...resolversOf(plan.site, n).map((r) => `DNS=${r}`),
      ...(plan.site ? [`Domains=${plan.site.domain}`] : []),
      'DHCP=no',
      'IPv6AcceptRA=no',
      'LinkLocalAddressing=ipv6',
      ...(n.gateway ? via(undefined, n.gateway) : []),
      ...(plan.secondNetwork?.gateway ? via(undefined, plan.secondNetwork.gateway) : []),
      ...n.routes.flatMap((r) => via(r.to, r.via)),
    ];
    const uplink = uplinkOf(node);
    const { adapters, bond, vlan } = uplink;
    const further = node.further ?? [];
    /** Tags of further networks on a link. */
    const on = (link: string) => further.filter((f) => f.on === link).map((f) => `VLAN=${f.nic}`);
    const more = [
      ...further.flatMap((f) => [
        unit(`06-${f.nic}.netdev`, ['[NetDev]', `Name=${f.nic}`, 'Kind=vlan', `MTUBytes=${f.mtu}`, '', '[VLAN]', `Id=${f.vlan}`]),
        unit(`06-${f.nic}.network`, ['[Match]', `Name=${f.nic}`, '', '[Network]', `Address=${f.address}/${f.length}`, ...quiet]),
      ]),
      // Adapters that carry further networks alone.
      ...[...new Map(further.flatMap((f) => (f.adapter ? [[f.adapter.name, f] as const] : [])))].flatMap(([name, f]) => {
        const match = ['[Match]', `PermanentMACAddress=${f.adapter?.mac}`];
        const largest = Math.max(...further.filter((x) => x.on === name).map((x) => x.mtu));
        return [
          unit(`06-${name}.link`, [...match, '', '[Link]', `Name=${name}`, `MTUBytes=${largest}`]),
          unit(`06-${name}.network`, [...match, '', '[Network]', ...on(name), ...bareLink]),
        ];
      }),
    ];
    if (!bond && !vlan) {
      const match = ['[Match]', `MACAddress=${node.mac}`];
      return [
        unit('10-machine.link', [...match, '', '[Link]', `Name=${node.nic}`, `MTUBytes=${n.mtu}`]),
        unit('10-machine.network', [...match, ...mtu, '', '[Network]', ...on(node.nic), ...addressed]),
        ...more,
      ];
    }
    const below = lowerLinkOf(uplink);
    /** What has no address of its own. */
    const bare = bareLink;
    const tagged = vlan ? [`VLAN=${node.nic}`, ...bare] : addressed;
    return [
      ...adapters.flatMap(({ name, mac }) => {
        const match = ['[Match]', `PermanentMACAddress=${mac}`];
        return [
          unit(`05-${name}.link`, [...match, '', '[Link]', `Name=${name}`, `MTUBytes=${n.mtu}`]),
          unit(`05-${name}.network`, [
            ...match,
            ...mtu,
            '',
            '[Network]',
            ...(bond
              ? [`Bond=${below}`, ...(bond === 'active-backup' && mac === node.mac ? ['PrimarySlave=yes'] : [])]
              : [...on(name), ...tagged]),
          ]),
        ];
      }),
      ...(bond
        ? [
            unit(`05-${below}.netdev`, [
              '[NetDev]',
              `Name=${below}`,
              'Kind=bond',
              `MACAddress=${node.mac}`,
              `MTUBytes=${n.mtu}`,
              '',
              '[Bond]',
              `Mode=${bond}`,
              'MIIMonitorSec=100ms',
              ...(bond === '802.3ad' ? ['LACPTransmitRate=fast', 'TransmitHashPolicy=layer3+4'] : []),
            ]),
            unit(`05-${below}.network`, ['[Match]', `Name=${below}`, '', '[Network]', ...on(below), ...tagged]),
          ]
        : []),
      ...(vlan
        ? [
            unit(`05-${node.nic}.netdev`, [
              '[NetDev]',
              `Name=${node.nic}`,
              'Kind=vlan',
              `MTUBytes=${n.mtu}`,
              '',
              '[VLAN]',
              `Id=${vlan}`,
            ]),
            unit(`05-${node.nic}.network`, ['[Match]', `Name=${node.nic}`, '', '[Network]', ...addressed]),
          ]
        : []),
      ...more,
    ];
  },
};
