import { holds, parseIp, parseRange } from '../../address/parse.ts';
import { each } from '../check.ts';

export const ADR004 = each('Reservation', {
  code: 'ADR-004',
  severity: 'stop',
  about: 'a reservation outside its network, or in one that is not there',
  find: (r, view) => {
    const n = view.get('Network', r.network);
    if (n && holds(parseRange(n.prefix), parseIp(r.address))) return [];
    return [
      {
        subject: { kind: 'Reservation' as const, name: `${r.network}/${r.address}` },
        path: ['address'],
        site: n?.site ?? '',
        charters: r.owner.kind === 'charter' ? [r.owner.name] : [],
        title: `${r.address} is not in ${r.network}`,
        text: n ? `${r.network} is ${n.prefix}.` : `There is no network ${r.network}.`,
      },
    ];
  },
});
