import { holds, parseIp, parsePrefix, prefixRange } from '../../address/parse.ts';
import { each } from '../check.ts';

export const NET012 = each('Network', {
  code: 'NET-012',
  severity: 'stop',
  about: 'the next hop of a static route cannot be reached',
  find: (n) =>
    n.routes.flatMap((route, i) =>
      holds(prefixRange(parsePrefix(n.prefix)), parseIp(route.via))
        ? []
        : [
            {
              subject: { kind: 'Network' as const, name: n.name },
              path: ['routes', i, 'via'],
              site: n.site,
              title: `The route to ${route.to} goes over a next hop that is not there`,
              text: `${route.via} does not lie in ${n.name}, which is ${n.prefix}: nothing in it can hand a packet to that address.`,
            },
          ],
    ),
});
