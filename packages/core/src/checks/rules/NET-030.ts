import { holds, parseIp, parseRange } from '../../address/parse.ts';
import { at, each } from '../check.ts';
import { facesOf, hopNetwork, routesOf } from '../reach.ts';

export const NET030 = each('Gateway', {
  code: 'NET-030',
  severity: 'stop',
  about: 'an address of a gateway, or its next hop, is a dynamic one',
  find: (g, view) => {
    const leased = (network: string, address: string) => {
      const scope = view.get('Network', network)?.dhcp.find((d) => holds(parseRange(d.range), parseIp(address)));
      const bound = view.by('Reservation', 'address', address).some((r) => r.network === network && r.mac && !r.resting);
      return bound ? undefined : scope;
    };
    const found = [
      ...facesOf(g).map(({ face, path }) => ({ network: face.network, address: face.address, path: [...path, 'address'] })),
      ...g.addresses.map((a, i) => ({ network: a.network, address: a.address, path: ['addresses', i, 'address'] })),
      ...routesOf(g).map(({ route, path, members: [member] }) => ({
        network: (member && hopNetwork(view, member, route.via)?.name) ?? '',
        address: route.via,
        path: [...path, 'via'],
      })),
    ];
    return found.flatMap(({ network, address, path }) => {
      const scope = leased(network, address);
      return scope
        ? [
            at(g, path, {
              title: `${address} is a leased address`,
              text: `It lies in the DHCP scope ${scope.range} of ${network} and is bound to no MAC: after its lease another machine may have it, and routes lead there.`,
              remedy: {
                label: 'Reserve it',
                act: { kind: 'open' as const, path: `/addresses?site=${g.site}&net=${network}&at=${address}` },
              },
            }),
          ]
        : [];
    });
  },
});
