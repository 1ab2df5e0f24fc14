import { parseRange, size } from '../../address/parse.ts';
import { at, each, planFor } from '../check.ts';

export const SVC002 = each('Charter', {
  code: 'SVC-002',
  severity: 'stop',
  about: 'a service pool is smaller than the services that are planned',
  find: (c, view) => {
    const without = planFor(view, c).services.filter((s) => !s.address);
    if (!c.servicePool || !without.length) return [];
    const has = size(parseRange(c.servicePool.range));
    return [
      at(c, ['servicePool', 'range'], {
        title: `${without.length === 1 ? `${without[0]?.name} has` : `${without.length} services have`} no address`,
        text: `${c.servicePool.range} has ${has} addresses, those that others have among them; ${c.servicePool.services?.length} services are planned. ${without.map((s) => s.name).join(', ')} would wait for one without end.`,
      }),
    ];
  },
});
