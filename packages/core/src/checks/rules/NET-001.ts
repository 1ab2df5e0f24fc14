import { formatRange, parsePrefix, prefixRange } from '../../address/parse.ts';
import { overlappingPairs } from '../../address/overlap.ts';
import type { Network } from '../../model/documents.ts';
import type { Check } from '../check.ts';

/** Whether the first was carved out of the second, at any depth. */
function under(n: Network, outer: Network, find: (name: string) => Network | undefined): boolean {
  let at: Network | undefined = n;
  for (let depth = 0; at?.parent && depth < 16; depth++) {
    if (at.parent === outer.name) return true;
    at = find(at.parent);
  }
  return false;
}

export const NET001: Check = {
  code: 'NET-001',
  severity: 'stop',
  about: 'two networks overlap',
  reads: ['networks', 'charters'],
  find: ({ estate, network, chartersOn }) =>
    overlappingPairs(estate.networks.map((n) => ({ ...prefixRange(parsePrefix(n.prefix)), n })))
      // A network that was carved out of another lies in it by right.
      .filter(([a, b]) => !under(a.n, b.n, network) && !under(b.n, a.n, network))
      .map(([a, b]) => ({
        subject: { kind: 'Network', name: b.n.name },
        path: ['prefix'],
        site: b.n.site,
        charters: [...chartersOn(a.n.name), ...chartersOn(b.n.name)],
        title: `${b.n.name} overlaps ${a.n.name}`,
        text: `${b.n.prefix} and ${a.n.prefix} share ${formatRange({ v: a.v, first: a.first > b.first ? a.first : b.first, last: a.last < b.last ? a.last : b.last })}. No router can tell them apart.`,
      })),
};
