import { contains, parsePrefix, parseRange, prefixRange } from '../../address/parse.ts';
import type { Check } from '../check.ts';

export const NET005: Check = {
  code: 'NET-005',
  severity: 'stop',
  about: 'a pool or DHCP scope reaches outside its network',
  reads: ['networks', 'charters'],
  find: ({ estate, chartersOn }) =>
    estate.networks.flatMap((n) =>
      (['dhcp', 'pools'] as const).flatMap((list) =>
        n[list].flatMap((p, i) =>
          contains(prefixRange(parsePrefix(n.prefix)), parseRange(p.range))
            ? []
            : [
                {
                  subject: { kind: 'Network' as const, name: n.name },
                  path: [list, i, 'range'],
                  site: n.site,
                  charters: chartersOn(n.name),
                  title: `${p.name} reaches outside ${n.name}`,
                  text: `${p.range} is not wholly in ${n.prefix}.`,
                },
              ],
        ),
      ),
    ),
};
