import { parseIp, parsePrefix } from '../../address/parse.ts';
import { reservedEnds } from '../../address/space.ts';
import { at, each } from '../check.ts';

export const ADR016 = each('Reservation', {
  code: 'ADR-016',
  severity: 'stop',
  about: 'an end of a network is reserved',
  find: (d, view) => {
    const n = view.get('Network', d.network);
    if (!n || !reservedEnds(parsePrefix(n.prefix)).includes(parseIp(d.address).n)) return [];
    return [
      at(d, ['address'], {
        site: n.site,
        charters: d.owner.kind === 'charter' ? [d.owner.name] : [],
        title: `${d.address} is an end of ${n.name}`,
        text: `It is reserved for ${d.name ?? d.owner.name}; in ${n.prefix} no machine may have it.`,
        remedy: { label: 'Release the address', edits: [{ op: 'drop', kind: 'Reservation', key: `${d.network}/${d.address}` }] },
      }),
    ];
  },
});
