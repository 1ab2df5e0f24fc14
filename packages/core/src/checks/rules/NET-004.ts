import type { Check } from '../check.ts';

export const NET004: Check = {
  code: 'NET-004',
  severity: 'mind',
  about: 'a network that should be routed has no gateway',
  reads: ['networks', 'charters'],
  find: ({ estate, chartersOn }) =>
    estate.networks
      .filter((n) => !n.gateway && (n.purpose === 'machine' || n.purpose === 'uplink' || n.routesTo.length > 0))
      .map((n) => ({
        subject: { kind: 'Network', name: n.name },
        path: ['gateway'],
        site: n.site,
        charters: chartersOn(n.name),
        title: `${n.name} has no gateway`,
        text: `${n.routesTo.length ? `It is to route to ${n.routesTo.join(', ')}` : `A ${n.purpose} network is reached from others`}, and nothing is declared to route it.`,
      })),
};
