import { at, each } from '../check.ts';
import { facesOf } from '../reach.ts';

export const NET043 = each('Gateway', {
  code: 'NET-043',
  severity: 'mind',
  about: 'tunnels are to end at a gateway, and a member has no address for them',
  find: (g, view) =>
    g.tunnels
      ? g.members.flatMap((m, i) =>
          facesOf(g).some((f) => f.m === i && view.get('Network', f.face.network)?.purpose === 'tunnel')
            ? []
            : [
                at(g, ['members', i, 'interfaces'], {
                  title: `No tunnel can end at ${m.name}`,
                  text: `${g.name} ends tunnels (${g.tunnels?.kind}), and ${m.name} has no address in a network of tunnels.`,
                }),
              ],
        )
      : [],
});
