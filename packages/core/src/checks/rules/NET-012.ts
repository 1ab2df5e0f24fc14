import { inside } from '../../reach/graph.ts';
import { each } from '../check.ts';
import { nextHopsOf } from '../reach.ts';

export const NET012 = each('Network', {
  code: 'NET-012',
  severity: 'stop',
  about: 'the next hop of a static route cannot be reached',
  find: (n, view) =>
    n.routes.flatMap((route, i) =>
      nextHopsOf(view, n).some((x) => inside(x, route.via))
        ? []
        : [
            {
              subject: { kind: 'Network' as const, name: n.name },
              path: ['routes', i, 'via'],
              site: n.site,
              title: `The route to ${route.to} goes over a next hop that is not there`,
              text: `${route.via} does not lie in ${n.name}, which is ${n.prefix}, nor in another network that its router has an address in: nothing can hand a packet to it.`,
            },
          ],
    ),
});
