import { eachGroup } from '../check.ts';

export const HST004 = eachGroup('Host', 'mac', {
  code: 'HST-004',
  severity: 'stop',
  about: 'one MAC on two hosts',
  find: ([first, ...others]) => {
    const macs = new Set(first.facts?.nics.map((n) => n.mac));
    return others.flatMap((h) =>
      (h.facts?.nics ?? [])
        .filter((n) => macs.has(n.mac))
        .map((n) => ({
          subject: { kind: 'Host' as const, name: h.name },
          path: ['facts', 'nics'],
          site: h.site,
          charters: [h.held?.charter ?? ''].filter(Boolean),
          title: `${h.name} and ${first.name} have the MAC ${n.mac}`,
          text: 'Both would get one address. One of them was entered twice, or a card was moved.',
        })),
    );
  },
});
