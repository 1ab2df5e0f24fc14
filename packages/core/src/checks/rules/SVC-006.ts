import { at, each, setTo } from '../check.ts';
import { facesOf } from '../reach.ts';

export const SVC006 = each('Charter', {
  code: 'SVC-006',
  severity: 'mind',
  about: 'one side alone has BFD',
  find: (c, view) => {
    const pool = c.servicePool;
    if (pool?.announce !== 'bgp') return [];
    return view.by('Gateway', 'site', c.site).flatMap((g) => {
      const peers = (pool.peers ?? []).some((p) => facesOf(g).some((f) => f.face.address === p.address));
      if (!peers || !g.bgp || Boolean(g.bgp.bfd) === Boolean(pool.bfd)) return [];
      return [
        at(c, ['servicePool', 'bfd'], {
          title: pool.bfd ? `${g.name} has no BFD` : `${g.name} has BFD, the nodes have not`,
          text: 'A session of BFD needs both sides (RFC 5880 §6.2): without one the hold timer alone says that a node is gone.',
          remedy: pool.bfd
            ? {
                label: `Give it to ${g.name}`,
                edits: [{ op: 'set', kind: 'Gateway', key: g.name, path: ['bgp', 'bfd'], value: pool.bfd }],
              }
            : setTo(c, ['servicePool', 'bfd'], g.bgp.bfd, 'Give it to the nodes'),
        }),
      ];
    });
  },
});
