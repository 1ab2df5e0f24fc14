import { zoneNameOf } from '../../naming/plan.ts';
import { each } from '../check.ts';

export const DNS004 = each('Reservation', {
  code: 'DNS-004',
  severity: 'mind',
  about: 'a name lies in no declared zone',
  find: (r, view) =>
    r.name && !zoneNameOf(view)(r.name)
      ? [
          {
            subject: { kind: 'Reservation', name: `${r.network}/${r.address}` },
            path: ['name'],
            site: view.get('Network', r.network)?.site ?? '',
            title: `${r.name} lies in no zone of ours`,
            text: 'It is in the ledger and nothing can serve it.',
          },
        ]
      : [],
});
