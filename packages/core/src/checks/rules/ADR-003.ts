import { holds, parseIp, parseRange } from '../../address/parse.ts';
import { formatIp } from '../../address/parse.ts';
import { openIn } from '../../ledger/open.ts';
import { each } from '../check.ts';

export const ADR003 = each('Reservation', {
  code: 'ADR-003',
  severity: 'stop',
  about: 'a reservation lies inside a DHCP scope without a MAC',
  find: (r, view) => {
    const n = view.get('Network', r.network);
    const scope = n?.dhcp.find((s) => holds(parseRange(s.range), parseIp(r.address)));
    if (!n || !scope || r.mac) return [];
    const free = openIn(view, n).nextFree();
    return [
      {
        subject: { kind: 'Reservation' as const, name: `${r.network}/${r.address}` },
        path: ['address'],
        site: n.site,
        charters: r.owner.kind === 'charter' ? [r.owner.name] : [],
        title: `${r.address} can be leased to somebody else`,
        text: `It is reserved for ${r.name ?? r.owner.name} and lies in the DHCP scope ${scope.range}, bound to no MAC.`,
        ...(free
          ? {
              remedy: {
                label: `Move it to ${formatIp(free)}`,
                edits: [
                  { op: 'drop' as const, kind: 'Reservation' as const, key: `${r.network}/${r.address}` },
                  { op: 'put' as const, doc: { ...r, address: formatIp(free) } },
                ],
              },
            }
          : {}),
      },
    ];
  },
});
