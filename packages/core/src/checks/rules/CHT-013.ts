import { counted } from '../../words/amounts.ts';
import { each, planFor, serves } from '../check.ts';

export const CHT013 = each('Charter', {
  code: 'CHT-013',
  severity: 'mind',
  about: 'nobody gives addresses where hosts boot',
  find: (c, view) => {
    const { nodes, network } = planFor(view, c);
    const asking = nodes.filter((n) => (n.guest || n.bmc) && view.get('Host', n.host)?.bmc?.boot !== 'media');
    const guests = asking.filter((n) => n.guest);
    if (serves(view, c) || !asking.length || !network) return [];
    const leases = view
      .by('Network', 'site', c.site)
      .filter((n) => (n.name === network.name || n.purpose === 'provisioning') && n.dhcp.length > 0);
    return leases.length
      ? []
      : [
          {
            subject: { kind: 'Charter' as const, name: c.name },
            path: ['machineNetwork'],
            site: c.site,
            title: `No DHCP scope in ${network.name}, where ${counted(asking.length, 'host boots', 'hosts boot')}`,
            text: `${guests.length ? 'A guest asks for an address by DHCP before it fetches its first-boot data' : 'Firmware asks for an address by DHCP before it loads anything over HTTP'}. A scope of a few addresses in ${network.name} is enough: the planned addresses are given later, by the kit.${guests.length ? '' : ' From virtual media hosts start without DHCP.'}`,
            remedy: guests.length
              ? {
                  label: `Open ${network.name}`,
                  act: { kind: 'open' as const, path: `/declare?edit=${encodeURIComponent(`Network ${network.name}`)}` },
                }
              : {
                  label: `Start ${asking.length === 1 ? (asking[0]?.host ?? '') : counted(asking.length, 'host')} from virtual media`,
                  edits: asking.map((n) => ({
                    op: 'set' as const,
                    kind: 'Host' as const,
                    key: n.host,
                    path: ['bmc', 'boot'],
                    value: 'media',
                  })),
                },
          },
        ];
  },
});
