import { at, each, setTo } from '../check.ts';
import { facesOf } from '../reach.ts';

export const NET041 = each('Gateway', {
  code: 'NET-041',
  severity: 'mind',
  about: 'an interface of a gateway takes other packets than its network',
  find: (g, view) =>
    facesOf(g).flatMap(({ member, face, path }) => {
      const n = view.get('Network', face.network);
      if (!n || face.mtu === undefined || face.mtu === n.mtu) return [];
      return [
        at(g, [...path, 'mtu'], {
          title: `${member.name} has MTU ${face.mtu} in ${n.name}, which has ${n.mtu}`,
          text:
            face.mtu > n.mtu
              ? `What it sends larger than ${n.mtu} bytes is lost there without a word.`
              : `Others send it up to ${n.mtu} bytes, and it takes ${face.mtu}: the rest is lost without a word.`,
          remedy: setTo(g, [...path, 'mtu'], undefined, `Let it be ${n.mtu}`),
        }),
      ];
    }),
});
