import { at, each } from '../check.ts';
import { facesOf, plainIp } from '../reach.ts';

export const NET025 = each('Gateway', {
  code: 'NET-025',
  severity: 'stop',
  about: 'an address of a gateway is used twice',
  find: (g, view) => {
    const mine = facesOf(g);
    const seen = new Map<string, string>();
    for (const other of view.by('Gateway', 'site', g.site)) {
      // Of two gateways the later one by name is told.
      if (other.name >= g.name) continue;
      for (const { member, face } of facesOf(other)) seen.set(`${face.network} ${plainIp(face.address)}`, member.name);
      for (const a of other.addresses) seen.set(`${a.network} ${plainIp(a.address)}`, other.name);
    }
    for (const a of g.addresses) seen.set(`${a.network} ${plainIp(a.address)}`, `${g.name}, where it moves`);
    return mine.flatMap(({ member, face, path }) => {
      const key = `${face.network} ${plainIp(face.address)}`;
      const by = seen.get(key);
      seen.set(key, member.name);
      return by
        ? [
            at(g, [...path, 'address'], {
              title: `${face.address} is ${member.name}'s and ${by}'s`,
              text: `Two machines in ${face.network} would answer for one address: what is sent there arrives at one of them by chance.`,
            }),
          ]
        : [];
    });
  },
});
