import { overlaps, parseRange } from '../../address/parse.ts';
import { at, chartersOn, each } from '../check.ts';

export const NET018 = each('Network', {
  code: 'NET-018',
  severity: 'stop',
  about: 'two scopes or pools of a network overlap',
  find: (d, view) => {
    const parts = [
      ...d.dhcp.map((p, i) => ({ ...p, path: ['dhcp', i, 'range'] })),
      ...d.pools.map((p, i) => ({ ...p, path: ['pools', i, 'range'] })),
    ];
    return parts.flatMap((p, i) =>
      parts
        .slice(0, i)
        .filter((o) => p.inside !== o.name && o.inside !== p.name && overlaps(parseRange(o.range), parseRange(p.range)))
        .map((o) =>
          at(d, p.path, {
            charters: chartersOn(view, d.name),
            title: `${p.name} and ${o.name} of ${d.name} overlap`,
            text: `${p.range} and ${o.range} share addresses.`,
          }),
        ),
    );
  },
});
