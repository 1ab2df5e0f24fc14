import { parsePrefix, prefixRange } from '../../address/parse.ts';
import { isPrivate, specialIn } from '../../address/special.ts';
import { at, each } from '../check.ts';

export const CHT017 = each('Charter', {
  code: 'CHT-017',
  severity: 'mind',
  about: 'a pod or service range lies in public space',
  find: (d) => {
    return (['pods', 'services'] as const).flatMap((which) => {
      const range = prefixRange(parsePrefix(d[which].range));
      return specialIn(range) || isPrivate(range)
        ? []
        : [
            at(d, [which, 'range'], {
              title: `${which === 'pods' ? 'Pod' : 'Service'} range lies in public space`,
              text: `${d[which].range} is in no private range: it belongs to somebody on the internet.`,
            }),
          ];
    });
  },
});
