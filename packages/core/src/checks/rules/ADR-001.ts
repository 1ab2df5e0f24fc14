import { overlaps, parseRange } from '../../address/parse.ts';
import { each } from '../check.ts';
import { movePool } from '../pools.ts';

export const ADR001 = each('Charter', {
  code: 'ADR-001',
  severity: 'stop',
  about: 'a service pool lies inside a DHCP scope',
  find: (c, view) => {
    const n = view.get('Network', c.machineNetwork);
    const pool = c.servicePool && parseRange(c.servicePool.range);
    if (!n || !pool || !c.servicePool) return [];
    return n.dhcp
      .filter((s) => overlaps(parseRange(s.range), pool))
      .map((scope) => {
        const s = parseRange(scope.range);
        const shared = Number((s.last < pool.last ? s.last : pool.last) - (s.first > pool.first ? s.first : pool.first) + 1n);
        return {
          subject: { kind: 'Charter' as const, name: c.name },
          path: ['servicePool', 'range'],
          site: c.site,
          title: 'Service pool lies inside a DHCP scope',
          text: `${n.name} leases ${scope.range.replace('-', ' – ')}. ${shared} addresses could be given out twice.`,
          ...movePool(c, n, view),
        };
      });
  },
});
