import { contains, overlaps, parsePrefix, parseRange, prefixRange } from '../../address/parse.ts';
import { at, each } from '../check.ts';
import { movePool } from '../pools.ts';

export const ADR011 = each('Charter', {
  code: 'ADR-011',
  severity: 'stop',
  about: 'a service pool lies outside its network',
  find: (d, view) => {
    const n = view.get('Network', d.machineNetwork);
    const pool = d.servicePool && parseRange(d.servicePool.range);
    if (!n || !pool || !d.servicePool) return [];
    if (contains(prefixRange(parsePrefix(n.prefix)), pool)) return [];
    // Routers that are told where it is need no network that it lies in.
    if (d.servicePool.announce === 'bgp' && !overlaps(prefixRange(parsePrefix(n.prefix)), pool)) return [];
    return [
      at(d, ['servicePool', 'range'], {
        title: 'Service pool lies outside the machine network',
        text: `${d.servicePool.range} is not wholly in ${n.name}, which is ${n.prefix}.`,
        ...movePool(d, n, view),
      }),
    ];
  },
});
