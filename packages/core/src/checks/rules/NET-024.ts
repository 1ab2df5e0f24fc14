import { inside } from '../../reach/graph.ts';
import { at, each } from '../check.ts';
import { facesOf } from '../reach.ts';

export const NET024 = each('Gateway', {
  code: 'NET-024',
  severity: 'stop',
  about: 'an address of a gateway lies outside its network, or the network is not there',
  find: (g, view) =>
    [
      ...facesOf(g).map(({ member, face, path }) => ({ who: member.name, ...face, path })),
      ...g.addresses.map((a, i) => ({ who: g.name, ...a, path: ['addresses', i] })),
    ].flatMap(({ who, network, address, path }) => {
      const n = view.get('Network', network);
      if (n && inside(n, address)) return [];
      return [
        at(g, [...path, n ? 'address' : 'network'], {
          title: n ? `${address} of ${who} does not lie in ${network}` : `${who} stands in ${network}, which is not there`,
          text: n
            ? `${network} is ${n.prefix}: nothing there would be handed to that address.`
            : 'No network of that name is declared: nothing can be said about what it is reached by.',
        }),
      ];
    }),
});
