import { holds, parseIp, parseRange } from '../../address/parse.ts';
import { inside } from '../../reach/graph.ts';
import { each } from '../check.ts';
import { nextHopsOf } from '../reach.ts';

export const NET015 = each('Network', {
  code: 'NET-015',
  severity: 'stop',
  about: 'a machine that routes point at has a dynamic address',
  find: (n, view) =>
    n.routes.flatMap((route, i) => {
      // In which of the networks of its router the next hop lies.
      const at = nextHopsOf(view, n).find((x) => inside(x, route.via)) ?? n;
      const scope = at.dhcp.find((s) => holds(parseRange(s.range), parseIp(route.via)));
      const bound = view.by('Reservation', 'address', route.via).some((r) => r.network === at.name && r.mac && !r.resting);
      if (!scope || bound) return [];
      return [
        {
          subject: { kind: 'Network' as const, name: n.name },
          path: ['routes', i, 'via'],
          site: n.site,
          title: `The route to ${route.to} points at a leased address`,
          text: `${route.via} lies in the DHCP scope ${scope.range} of ${at.name} and is bound to no MAC: after its lease another machine may have it, and the route leads there.`,
          remedy: {
            label: 'Reserve it',
            act: { kind: 'open' as const, path: `/addresses?site=${at.site}&net=${at.name}&at=${route.via}` },
          },
        },
      ];
    }),
});
