import { at, each } from '../check.ts';

export const NET033 = each('Gateway', {
  code: 'NET-033',
  severity: 'mind',
  about: 'an address moves between fewer than two members',
  find: (g) =>
    g.members.length < 2
      ? []
      : g.addresses.flatMap((a, i) => {
          const there = g.members.filter((m) => m.interfaces.some((f) => f.network === a.network));
          return there.length >= 2
            ? []
            : [
                at(g, ['addresses', i], {
                  title: there.length ? `${a.address} can only be at ${there[0]?.name}` : `Nobody can have ${a.address}`,
                  text: `${there.length ? 'No other member has' : 'No member has'} an address in ${a.network}: there is nobody to take over.`,
                }),
              ];
        }),
});
