import { at, each } from '../check.ts';
import { hopNetwork, routesOf } from '../reach.ts';

export const NET029 = each('Gateway', {
  code: 'NET-029',
  severity: 'stop',
  about: 'the next hop of a gateway lies in no network that it has an address in',
  find: (g, view) =>
    routesOf(g).flatMap(({ route, path, members }) => {
      const without = members.filter((m) => !hopNetwork(view, m, route.via)).map((m) => m.name);
      return without.length
        ? [
            at(g, [...path, 'via'], {
              title: `${without.join(' and ')} cannot reach the next hop to ${route.to}`,
              text: `${route.via} lies in no network that ${without.length > 1 ? 'they have' : 'it has'} an address in: the route is not taken up.`,
            }),
          ]
        : [];
    }),
});
