import { parsePrefix, prefixRange } from '../../address/parse.ts';
import { isPrivate, specialIn } from '../../address/special.ts';
import { rangesOf } from '../../charter/families.ts';
import { at, each } from '../check.ts';

export const CHT017 = each('Charter', {
  code: 'CHT-017',
  severity: 'mind',
  about: 'a pod or service range lies in public space',
  find: (d) => {
    return rangesOf(d).flatMap((r) => {
      const range = prefixRange(parsePrefix(r.range));
      return specialIn(range) || isPrivate(range)
        ? []
        : [
            at(d, r.at, {
              title: `${r.title} lies in public space`,
              text: `${r.range} is in no private range: it belongs to somebody on the internet.`,
            }),
          ];
    });
  },
});
