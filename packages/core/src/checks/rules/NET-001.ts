import { formatRange, parsePrefix, prefixRange } from '../../address/parse.ts';
import { overlappingPairs } from '../../address/overlap.ts';
import type { Check } from '../check.ts';

export const NET001: Check = {
  code: 'NET-001',
  severity: 'stop',
  about: 'two networks overlap',
  reads: ['networks'],
  find: ({ estate, chartersOn }) =>
    overlappingPairs(estate.networks.map((n) => ({ ...prefixRange(parsePrefix(n.prefix)), n }))).map(([a, b]) => ({
      subject: { kind: 'Network', name: b.n.name },
      path: ['prefix'],
      site: b.n.site,
      charters: [...chartersOn(a.n.name), ...chartersOn(b.n.name)],
      title: `${b.n.name} overlaps ${a.n.name}`,
      text: `${b.n.prefix} and ${a.n.prefix} share ${formatRange({ v: a.v, first: a.first > b.first ? a.first : b.first, last: a.last < b.last ? a.last : b.last })}. No router can tell them apart.`,
    })),
};
