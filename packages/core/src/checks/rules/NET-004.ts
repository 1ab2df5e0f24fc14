import { chartersOn, each } from '../check.ts';

export const NET004 = each('Network', {
  code: 'NET-004',
  severity: 'mind',
  about: 'a network that should be routed has no gateway',
  find: (n, view) =>
    // What precincts are carved out of is no link: each of them has a gateway of its own.
    !n.gateway && !n.precincts && (n.purpose === 'machine' || n.purpose === 'uplink' || n.routesTo.length > 0)
      ? [
          {
            subject: { kind: 'Network', name: n.name },
            path: ['gateway'],
            site: n.site,
            charters: chartersOn(view, n.name),
            title: `${n.name} has no gateway`,
            text: `${n.routesTo.length ? `It is to route to ${n.routesTo.join(', ')}` : `A ${n.purpose} network is reached from others`}, and nothing is declared to route it.`,
          },
        ]
      : [],
});
