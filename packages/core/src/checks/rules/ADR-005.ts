import { spaceOf } from '../../address/space.ts';
import { each } from '../check.ts';

export const ADR005 = each('Network', {
  code: 'ADR-005',
  severity: 'mind',
  about: 'a network is nearly full',
  find: (n, view) => {
    const full = spaceOf(
      n,
      view.by('Reservation', 'network', n.name).map((r) => r.address),
    ).fullness();
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
  },
});
