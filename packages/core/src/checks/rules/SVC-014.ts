import { unplannedService } from '../../ledger/service-of.ts';
import { at, each } from '../check.ts';

export const SVC014 = each('Charter', {
  code: 'SVC-014',
  severity: 'mind',
  about: 'an address is kept for a service that is not planned any more',
  find: (c, view) =>
    view.by('Reservation', 'owner', `charter ${c.name}`).flatMap((r) => {
      const service = unplannedService(r, c);
      if (!service) return [];
      return [
        at(c, ['servicePool', 'services'], {
          title: `${r.address} is kept for ${service}, which ${c.name} does not publish any more`,
          text: `Nothing else is given it meanwhile, and clients that know the address find nobody there.`,
          remedy: {
            label: 'Release the address',
            edits: [{ op: 'drop' as const, kind: 'Reservation' as const, key: `${r.network}/${r.address}` }],
          },
        }),
      ];
    }),
});
