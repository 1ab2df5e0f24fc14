import { spaceOf } from '../../address/space.ts';
import type { Check } from '../check.ts';

export const ADR005: Check = {
  code: 'ADR-005',
  severity: 'mind',
  about: 'a network is nearly full',
  reads: ['networks', 'reservations'],
  find: ({ estate }) => {
    const by = new Map<string, string[]>();
    for (const r of estate.reservations) {
      const list = by.get(r.network);
      if (list) list.push(r.address);
      else by.set(r.network, [r.address]);
    }
    return estate.networks.flatMap((n) => {
      const full = spaceOf(n, by.get(n.name) ?? []).fullness();
      return full >= 0.9
        ? [
            {
              subject: { kind: 'Network' as const, name: n.name },
              path: ['prefix'],
              site: n.site,
              title: `${n.name} is ${Math.round(full * 100)} % taken`,
              text: `${n.prefix} has little room left, scopes and pools counted as taken.`,
            },
          ]
        : [];
    });
  },
};
