import { precinctsLeft } from '../../reach/precinct.ts';
import { at, each } from '../check.ts';

export const NET048 = each('Network', {
  code: 'NET-048',
  severity: 'mind',
  about: 'no further precinct can be carved out of a network',
  find: (n, view) => {
    if (!n.precincts) return [];
    const { prefixes, vlans } = precinctsLeft(view, n);
    if (prefixes > 0n && vlans > 0) return [];
    const { first, last } = n.precincts.vlans;
    return [
      at(n, ['precincts', ...(vlans > 0 ? ['length'] : ['vlans'])], {
        title: `No further precinct can be carved out of ${n.name}`,
        text: vlans > 0 ? `${n.prefix} has no free /${n.precincts.length} left.` : `VLANs ${first} to ${last} are all in use.`,
      }),
    ];
  },
});
