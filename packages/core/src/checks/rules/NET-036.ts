import { inside } from '../../reach/graph.ts';
import { at, each } from '../check.ts';
import { facesOf } from '../reach.ts';

export const NET036 = each('Gateway', {
  code: 'NET-036',
  severity: 'stop',
  about: 'the address that sources leave with lies where nobody answers for it',
  find: (g, view) =>
    g.nat.flatMap((n, i) => {
      const networks = [...new Set(facesOf(g).map((f) => f.face.network))].map((name) => view.get('Network', name));
      return networks.some((x) => inside(x, n.to))
        ? []
        : [
            at(g, ['nat', i, 'to'], {
              title: `Nobody answers for ${n.to}`,
              text: `What leaves ${n.from} leaves as ${n.to}, which lies in no network that ${g.name} has an address in: no answer comes back.`,
            }),
          ];
    }),
});
