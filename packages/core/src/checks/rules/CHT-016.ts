import { parsePrefix, prefixRange } from '../../address/parse.ts';
import { specialIn } from '../../address/special.ts';
import { rangesOf } from '../../charter/families.ts';
import { at, each } from '../check.ts';

export const CHT016 = each('Charter', {
  code: 'CHT-016',
  severity: 'stop',
  about: 'a pod or service range lies in addresses with a meaning of their own',
  find: (d) => {
    return rangesOf(d).flatMap((r) => {
      const use = specialIn(prefixRange(parsePrefix(r.range)));
      return use
        ? [
            at(d, r.at, {
              title: `${r.title} lies in ${use.what}`,
              text: `${r.range} shares addresses with ${use.prefix}, which no machine routes (RFC 6890).`,
            }),
          ]
        : [];
    });
  },
});
