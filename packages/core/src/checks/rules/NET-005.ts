import { contains, parsePrefix, parseRange, prefixRange } from '../../address/parse.ts';
import { chartersOn, each } from '../check.ts';

export const NET005 = each('Network', {
  code: 'NET-005',
  severity: 'stop',
  about: 'a pool or DHCP scope reaches outside its network',
  find: (n, view) =>
    (['dhcp', 'pools'] as const).flatMap((list) =>
      n[list].flatMap((p, i) =>
        contains(prefixRange(parsePrefix(n.prefix)), parseRange(p.range))
          ? []
          : [
              {
                subject: { kind: 'Network' as const, name: n.name },
                path: [list, i, 'range'],
                site: n.site,
                charters: chartersOn(view, n.name),
                title: `${p.name} reaches outside ${n.name}`,
                text: `${p.range} is not wholly in ${n.prefix}.`,
              },
            ],
      ),
    ),
});
