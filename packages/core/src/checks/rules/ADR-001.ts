import { formatRange, overlaps, parseRange, size } from '../../address/parse.ts';
import { openIn } from '../../ledger/open.ts';
import { each } from '../check.ts';

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
        const count = Number(size(pool));
        const space = openIn(view, n);
        for (const p of n.pools) space.take(parseRange(p.range));
        const start = space.freeBlock(count, 16n) ?? space.freeBlock(count);
        const to = start && formatRange({ v: start.v, first: start.n, last: start.n + BigInt(count) - 1n });
        return {
          subject: { kind: 'Charter' as const, name: c.name },
          path: ['servicePool', 'range'],
          site: c.site,
          title: 'Service pool lies inside a DHCP scope',
          text: `${n.name} leases ${scope.range.replace('-', ' – ')}. ${shared} addresses could be given out twice.`,
          ...(to
            ? {
                remedy: {
                  label: `Move pool to ${to.replace('-', ' – ')}`,
                  edits: [
                    { op: 'set' as const, kind: 'Charter' as const, key: c.name, path: ['servicePool', 'range'], value: to },
                  ],
                },
              }
            : {}),
        };
      });
  },
});
