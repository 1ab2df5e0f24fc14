import { holds, isIp, parseIp, parsePrefix, parseRange, prefixRange } from '../../address/parse.ts';
import { at, each, setTo } from '../check.ts';

export const CHT023 = each('Charter', {
  code: 'CHT-023',
  severity: 'note',
  about: 'a virtual address was set outside the pool for virtual addresses',
  find: (d, view) => {
    const n = view.get('Network', d.machineNetwork);
    const pools = n?.pools.filter((p) => p.use === 'virtual') ?? [];
    if (!n || !pools.length) return [];
    return (['api', 'inbound'] as const).flatMap((use) => {
      const a = d[use].address;
      const inside =
        !a ||
        !isIp(a) ||
        !holds(prefixRange(parsePrefix(n.prefix)), parseIp(a)) ||
        pools.some((p) => holds(parseRange(p.range), parseIp(a)));
      return inside
        ? []
        : [
            at(d, [use, 'address'], {
              title: `${a} is outside the pool ${pools[0]?.name}`,
              text: `${n.name} keeps ${pools.map((p) => p.range).join(', ')} for virtual addresses; ${a} is set as the ${use === 'api' ? 'API' : 'inbound'} address.`,
              remedy: setTo(d, [use, 'address'], undefined, 'Let it follow'),
            }),
          ];
    });
  },
});
