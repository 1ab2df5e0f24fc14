import { zoneFor } from '../../naming/reverse.ts';
import type { Check } from '../check.ts';

export const DNS004: Check = {
  code: 'DNS-004',
  severity: 'mind',
  about: 'a name lies in no declared zone',
  reads: ['zones', 'reservations', 'networks'],
  find: ({ estate, network }) =>
    estate.reservations
      .filter((r) => r.name && !zoneFor(r.name, estate.zones))
      .map((r) => ({
        subject: { kind: 'Reservation', name: `${r.network}/${r.address}` },
        path: ['name'],
        site: network(r.network)?.site ?? '',
        title: `${r.name} lies in no zone of ours`,
        text: 'It is in the ledger and nothing can serve it.',
      })),
};
