import { at, each, setTo } from '../check.ts';
import { facesOf } from '../reach.ts';

export const NET032 = each('Network', {
  code: 'NET-032',
  severity: 'mind',
  about: 'the gateway of a network is the own address of one of several members',
  find: (n, view) =>
    view.by('Gateway', 'networks', n.name).flatMap((g) => {
      const face = n.gateway && facesOf(g).find((f) => f.face.network === n.name && f.face.address === n.gateway);
      if (!face || g.members.length < 2) return [];
      const moving = g.addresses.find((a) => a.network === n.name);
      return [
        at(n, ['gateway'], {
          title: `The gateway of ${n.name} does not move`,
          text: `${n.gateway} is ${face.member.name}'s own: while that one is away, nothing leaves ${n.prefix}, although ${g.name} has ${g.members.length} members.`,
          ...(moving ? { remedy: setTo(n, ['gateway'], moving.address, `Set ${moving.address}`) } : {}),
        }),
      ];
    }),
});
