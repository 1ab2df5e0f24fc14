import { holds, parseIp, parseRange } from '../../address/parse.ts';
import { at, each, setTo } from '../check.ts';

export const SVC003 = each('Charter', {
  code: 'SVC-003',
  severity: 'stop',
  about: 'a planned service has an address outside the pool',
  find: (c) => {
    const pool = c.servicePool;
    if (!pool) return [];
    const range = parseRange(pool.range);
    return (pool.services ?? []).flatMap((s, i) =>
      s.address && !holds(range, parseIp(s.address))
        ? [
            at(c, ['servicePool', 'services', i, 'address'], {
              title: `${s.address} of ${s.name} is not in the pool`,
              text: `The pool is ${pool.range}: what announces it gives no other address.`,
              remedy: setTo(c, ['servicePool', 'services', i, 'address'], undefined, 'Let it follow'),
            }),
          ]
        : [],
    );
  },
});
