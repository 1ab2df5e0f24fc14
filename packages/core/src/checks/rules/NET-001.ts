import { formatRange, parsePrefix, prefixRange } from '../../address/parse.ts';
import type { Network } from '../../model/documents.ts';
import type { View } from '../../reading/index.ts';
import { chartersOn, each } from '../check.ts';
import { keptApart, networksSharing } from '../ranges.ts';

/** Whether the first was carved out of the second, at any depth. */
function under(n: Network, outer: Network, view: View): boolean {
  let at: Network | undefined = n;
  for (let depth = 0; at?.parent && depth < 16; depth++) {
    if (at.parent === outer.name) return true;
    at = view.get('Network', at.parent);
  }
  return false;
}

export const NET001 = each('Network', {
  code: 'NET-001',
  severity: 'stop',
  about: 'two networks overlap',
  find: (n, view) =>
    (networksSharing(view).get(n.name) ?? []).flatMap((name) => {
      const other = view.get('Network', name);
      // Told once, of the one that comes later by name; what was carved out of another lies in it by right.
      if (!other || other.name > n.name || under(n, other, view) || under(other, n, view) || keptApart(n, other, view)) return [];
      const [a, b] = [prefixRange(parsePrefix(other.prefix)), prefixRange(parsePrefix(n.prefix))];
      return [
        {
          subject: { kind: 'Network' as const, name: n.name },
          path: ['prefix'],
          site: n.site,
          charters: [...chartersOn(view, other.name), ...chartersOn(view, n.name)],
          title: `${n.name} overlaps ${other.name}`,
          text: `${n.prefix} and ${other.prefix} share ${formatRange({ v: a.v, first: a.first > b.first ? a.first : b.first, last: a.last < b.last ? a.last : b.last })}. No router can tell them apart.`,
        },
      ];
    }),
});
