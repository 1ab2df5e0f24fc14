import { holds, parseIp, parseRange } from '../../address/parse.ts';
import { each } from '../check.ts';

export const NET015 = each('Network', {
  code: 'NET-015',
  severity: 'stop',
  about: 'a machine that routes point at has a dynamic address',
  find: (n, view) =>
    n.routes.flatMap((route, i) => {
      const scope = n.dhcp.find((s) => holds(parseRange(s.range), parseIp(route.via)));
      const bound = view.by('Reservation', 'address', route.via).some((r) => r.network === n.name && r.mac && !r.resting);
      if (!scope || bound) return [];
      return [
        {
          subject: { kind: 'Network' as const, name: n.name },
          path: ['routes', i, 'via'],
          site: n.site,
          title: `The route to ${route.to} points at a leased address`,
          text: `${route.via} lies in the DHCP scope ${scope.range} and is bound to no MAC: after its lease another machine may have it, and the route leads there.`,
          remedy: {
            label: 'Reserve it',
            act: { kind: 'open' as const, path: `/addresses?site=${n.site}&net=${n.name}&at=${route.via}` },
          },
        },
      ];
    }),
});
