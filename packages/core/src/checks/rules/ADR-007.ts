import type { Reservation } from '../../model/documents.ts';
import type { Check } from '../check.ts';

export const ADR007: Check = {
  code: 'ADR-007',
  severity: 'mind',
  about: 'one MAC has two addresses in one network',
  reads: ['networks', 'reservations'],
  find: ({ estate, network }) => {
    const by = new Map<string, Reservation[]>();
    for (const r of estate.reservations)
      if (r.mac && !r.resting) by.set(`${r.network} ${r.mac}`, [...(by.get(`${r.network} ${r.mac}`) ?? []), r]);
    return [...by.values()]
      .filter((list) => list.length > 1)
      .map((list) => {
        const [first, ...others] = list as [Reservation, ...Reservation[]];
        const last = others.at(-1) as Reservation;
        return {
          subject: { kind: 'Reservation' as const, name: `${last.network}/${last.address}` },
          path: ['mac'],
          site: network(first.network)?.site ?? '',
          title: `${first.mac} has ${list.length} addresses in ${first.network}`,
          text: `${list.map((r) => r.address).join(' and ')} are bound to it. A DHCP server gives it one of them, and takes the configuration or refuses it as it likes.`,
          remedy: {
            label: `Keep ${first.address} bound to it`,
            edits: others.map((r) => ({
              op: 'set' as const,
              kind: 'Reservation' as const,
              key: `${r.network}/${r.address}`,
              path: ['mac'],
              value: undefined,
            })),
          },
        };
      });
  },
};
