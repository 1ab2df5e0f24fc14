import { at, each } from '../check.ts';
import { facesOf } from '../reach.ts';

export const NET049 = each('Network', {
  code: 'NET-049',
  severity: 'stop',
  about: 'precincts are routed by a gateway that is not there, or leave where it has no address',
  find: (n, view) => {
    if (!n.precincts) return [];
    const { gateway, outbound } = n.precincts;
    const g = view.get('Gateway', gateway);
    if (!g)
      return [
        at(n, ['precincts', 'gateway'], {
          title: `There is no gateway ${gateway} for the precincts of ${n.name}`,
          text: 'A cluster with a precinct would have no way out of it.',
        }),
      ];
    const faces = new Set(facesOf(g).map((f) => f.face.network));
    return outbound.flatMap((out, i) =>
      faces.has(out)
        ? []
        : [
            at(n, ['precincts', 'outbound', i], {
              title: `${gateway} has no address in ${out}`,
              text: `What precincts of ${n.name} send is to leave there with an address of the cluster's own, and nobody would answer for it.`,
            }),
          ],
    );
  },
});
