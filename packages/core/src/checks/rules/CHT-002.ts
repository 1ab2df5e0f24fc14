import { parsePrefix, prefixRange } from '../../address/parse.ts';
import { rangesOf } from '../../charter/families.ts';
import { at, each } from '../check.ts';
import { networksIn } from '../ranges.ts';

export const CHT002 = each('Charter', {
  code: 'CHT-002',
  severity: 'stop',
  about: 'a pod or service range overlaps a network',
  find: (c, view) =>
    rangesOf(c).flatMap((r) => {
      // Its own machine network first: pods would not even reach their nodes.
      const hit = networksIn(view, prefixRange(parsePrefix(r.range)))
        .flatMap((name) => view.get('Network', name) ?? [])
        .sort((a, b) => Number(b.name === c.machineNetwork) - Number(a.name === c.machineNetwork));
      const [first] = hit;
      return first
        ? [
            at(c, r.at, {
              title: `${r.title} overlaps ${first.name}${hit.length > 1 ? ` and ${hit.length - 1} more` : ''}`,
              text: `${r.range} contains addresses of ${hit
                .slice(0, 4)
                .map((n) => `${n.name} (${n.prefix})`)
                .join(', ')}: pods could not reach what stands there.`,
            }),
          ]
        : [];
    }),
});
