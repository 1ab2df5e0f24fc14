import { each } from '../check.ts';

const week = 7 * 86_400_000;

export const ADR008 = each('Reservation', {
  code: 'ADR-008',
  severity: 'note',
  about: 'a reservation ends within a week',
  find: (r, view) => {
    if (!r.until || r.resting || Date.parse(r.until) - Date.parse(view.now) > week) return [];
    return [
      {
        subject: { kind: 'Reservation' as const, name: `${r.network}/${r.address}` },
        path: ['until'],
        site: view.get('Network', r.network)?.site ?? '',
        title: `${r.address} ends on ${r.until.slice(0, 10)}`,
        text: `It is reserved for ${r.name ?? r.owner.name} until then; its records go with it, and after a week of rest somebody else may have it.`,
        remedy: {
          label: 'Keep it without an end',
          edits: [
            {
              op: 'set' as const,
              kind: 'Reservation' as const,
              key: `${r.network}/${r.address}`,
              path: ['until'],
              value: undefined,
            },
          ],
        },
      },
    ];
  },
});
