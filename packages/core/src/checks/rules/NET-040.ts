import { inside } from '../../reach/graph.ts';
import { at, each } from '../check.ts';

export const NET040 = each('Network', {
  code: 'NET-040',
  severity: 'stop',
  about: 'the next hop of a route that a scope gives lies outside the network',
  find: (n) =>
    n.dhcp.flatMap((d, i) =>
      (d.routes ?? []).flatMap((r, k) =>
        inside(n, r.via)
          ? []
          : [
              at(n, ['dhcp', i, 'routes', k, 'via'], {
                title: `Clients in ${n.name} cannot reach the next hop to ${r.to}`,
                text: `${r.via} does not lie in ${n.prefix}: nobody there can hand a packet to it.`,
              }),
            ],
      ),
    ),
});
