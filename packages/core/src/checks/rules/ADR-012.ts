import { overlaps, parseRange } from '../../address/parse.ts';
import { at, each } from '../check.ts';
import { movePool } from '../pools.ts';

export const ADR012 = each('Charter', {
  code: 'ADR-012',
  severity: 'stop',
  about: 'two clusters have one service pool',
  find: (d, view) => {
    const n = view.get('Network', d.machineNetwork);
    const pool = d.servicePool && parseRange(d.servicePool.range);
    if (!n || !pool || !d.servicePool) return [];
    return view.by('Charter', 'network', n.name).flatMap((other) => {
      if (other.name >= d.name || !other.servicePool || !overlaps(parseRange(other.servicePool.range), pool)) return [];
      return [
        at(d, ['servicePool', 'range'], {
          charters: [d.name],
          title: `Service pool also belongs to ${other.name}`,
          text: `${d.servicePool?.range} and ${other.servicePool.range} of ${other.name} share addresses in ${n.name}.`,
          ...movePool(d, n, view),
        }),
      ];
    });
  },
});
