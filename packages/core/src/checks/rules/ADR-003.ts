import { holds, parseIp, parseRange } from '../../address/parse.ts';
import { formatIp } from '../../address/parse.ts';
import { openIn } from '../../ledger/open.ts';
import { type Check, openSlices } from '../check.ts';

export const ADR003: Check = {
  code: 'ADR-003',
  severity: 'stop',
  about: 'a reservation lies inside a DHCP scope without a MAC',
  reads: openSlices,
  find: ({ estate, network, chartersOn }) =>
    estate.reservations.flatMap((r) => {
      const n = network(r.network);
      const scope = n?.dhcp.find((s) => holds(parseRange(s.range), parseIp(r.address)));
      if (!n || !scope || r.mac) return [];
      const free = openIn(estate, n).nextFree();
      return [
        {
          subject: { kind: 'Reservation' as const, name: `${r.network}/${r.address}` },
          path: ['address'],
          site: n.site,
          charters: r.owner.kind === 'charter' ? [r.owner.name] : chartersOn(n.name).filter(() => false),
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
    }),
};
