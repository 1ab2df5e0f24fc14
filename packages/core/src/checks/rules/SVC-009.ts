import { at, each } from '../check.ts';

export const SVC009 = each('Charter', {
  code: 'SVC-009',
  severity: 'mind',
  about: 'nodes have the AS number of their routers, or of another cluster',
  find: (c, view) => {
    const pool = c.servicePool;
    if (pool?.announce !== 'bgp' || pool.as === undefined) return [];
    const own = (pool.peers ?? []).find((p) => p.as === pool.as);
    const other = view
      .by('Charter', 'site', c.site)
      .find((o) => o.name < c.name && o.servicePool?.announce === 'bgp' && o.servicePool.as === pool.as);
    if (!own && !other) return [];
    return [
      at(c, ['servicePool', 'as'], {
        title: own ? `Nodes and ${own.address} are one AS, ${pool.as}` : `${c.name} and ${other?.name} are one AS, ${pool.as}`,
        text: own
          ? 'Within one AS a router passes on nothing that it learnt from a neighbour (RFC 4271 §9.2): routers behind it do not learn of the services.'
          : 'A cluster refuses what comes with its own AS number (RFC 4271 §9.1.2): the two do not learn of each other over their routers.',
      }),
    ];
  },
});
