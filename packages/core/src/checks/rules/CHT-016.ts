import { parsePrefix, prefixRange } from '../../address/parse.ts';
import { specialIn } from '../../address/special.ts';
import { at, each } from '../check.ts';

export const CHT016 = each('Charter', {
  code: 'CHT-016',
  severity: 'stop',
  about: 'a pod or service range lies in addresses with a meaning of their own',
  find: (d) => {
    return (['pods', 'services'] as const).flatMap((which) => {
      const use = specialIn(prefixRange(parsePrefix(d[which].range)));
      return use
        ? [
            at(d, [which, 'range'], {
              title: `${which === 'pods' ? 'Pod' : 'Service'} range lies in ${use.what}`,
              text: `${d[which].range} shares addresses with ${use.prefix}, which no machine routes (RFC 6890).`,
            }),
          ]
        : [];
    });
  },
});
