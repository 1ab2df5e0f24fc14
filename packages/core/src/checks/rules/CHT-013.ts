import { type Check, planSlices } from '../check.ts';

export const CHT013: Check = {
  code: 'CHT-013',
  severity: 'mind',
  about: 'nobody gives addresses where machines boot',
  reads: planSlices,
  find: (view) =>
    view.estate.charters.flatMap((c) => {
      const { nodes, network } = view.plan(c);
      const medium = new Set(view.estate.hosts.filter((h) => h.bmc?.boot === 'media').map((h) => h.name));
      const metal = nodes.filter((n) => !n.guest && n.bmc && !medium.has(n.host));
      if (view.serves(c) || !metal.length || !network) return [];
      const leases = view.estate.networks.filter(
        (n) => n.site === c.site && (n.name === network.name || n.purpose === 'provisioning') && n.dhcp.length > 0,
      );
      return leases.length
        ? []
        : [
            {
              subject: { kind: 'Charter' as const, name: c.name },
              path: ['machineNetwork'],
              site: c.site,
              title: `No DHCP scope in ${network.name}, where ${metal.length} ${metal.length === 1 ? 'host boots' : 'hosts boot'}`,
              text: `Firmware asks for an address by DHCP before it loads anything over HTTP. A scope of a few addresses in ${network.name} is enough: the planned addresses are given later, by the kit. From virtual media hosts start without DHCP.`,
              remedy: {
                label: `Start ${metal.length === 1 ? (metal[0]?.host ?? '') : `${metal.length} hosts`} from virtual media`,
                edits: metal.map((n) => ({
                  op: 'set' as const,
                  kind: 'Host' as const,
                  key: n.host,
                  path: ['bmc', 'boot'],
                  value: 'media',
                })),
              },
            },
          ];
    }),
};
