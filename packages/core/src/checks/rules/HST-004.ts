import type { Check } from '../check.ts';

export const HST004: Check = {
  code: 'HST-004',
  severity: 'stop',
  about: 'one MAC on two hosts',
  reads: ['hosts'],
  find: ({ estate }) => {
    const first = new Map<string, string>();
    return estate.hosts.flatMap((h) =>
      (h.facts?.nics ?? []).flatMap((n) => {
        const other = first.get(n.mac);
        if (!other) {
          first.set(n.mac, h.name);
          return [];
        }
        return other === h.name
          ? []
          : [
              {
                subject: { kind: 'Host' as const, name: h.name },
                path: ['facts', 'nics'],
                site: h.site,
                charters: [h.held?.charter ?? ''].filter(Boolean),
                title: `${h.name} and ${other} have the MAC ${n.mac}`,
                text: 'Both would get one address. One of them was entered twice, or a card was moved.',
              },
            ];
      }),
    );
  },
};
