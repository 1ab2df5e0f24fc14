import { at, each } from '../check.ts';
import { facesOf } from '../reach.ts';

export const NET027 = each('Gateway', {
  code: 'NET-027',
  severity: 'stop',
  about: 'a gateway ends tunnels on the VLAN of the hosts',
  find: (g, view) => {
    const hosts = view.by('Network', 'site', g.site).filter((n) => n.endpoints === 'host');
    return facesOf(g).flatMap(({ member, face, path }) => {
      const n = view.get('Network', face.network);
      if (n?.purpose !== 'tunnel') return [];
      const same = hosts.find((h) => h.name === n.name || (h.vlan !== undefined && h.vlan === n.vlan));
      if (!same) return [];
      const own = view.by('Network', 'site', g.site).find((x) => x.endpoints === 'gateway' && x.vlan !== same.vlan);
      return [
        at(g, [...path, 'network'], {
          title: `${member.name} ends tunnels on VLAN ${same.vlan ?? '—'}, where the hosts end theirs`,
          text: `Tunnels from a host to a gateway are formed between two VLANs that are routed to each other, not on one.${own ? ` ${own.name} is meant for gateways.` : ''}`,
        }),
      ];
    });
  },
});
