import { answeringNodes } from '../../reach/announce.ts';
import { at, each, planFor } from '../check.ts';
import { facesOf } from '../reach.ts';

export const SVC007 = each('Charter', {
  code: 'SVC-007',
  severity: 'note',
  about: 'routers use fewer ways at once than nodes announce',
  find: (c, view) => {
    const pool = c.servicePool;
    if (pool?.announce !== 'bgp') return [];
    const nodes = answeringNodes(planFor(view, c)).length;
    return view.by('Gateway', 'site', c.site).flatMap((g) => {
      const peers = (pool.peers ?? []).some((p) => facesOf(g).some((f) => f.face.address === p.address));
      if (!peers || !g.bgp || g.bgp.ways >= nodes) return [];
      return [
        at(c, ['servicePool', 'peers'], {
          title: `${g.name} uses ${g.bgp.ways} of ${nodes} nodes at once`,
          text: `${nodes} nodes tell it of every service, and it sends to ${g.bgp.ways} of them: the others carry nothing of it.`,
          remedy: {
            label: `Let it use ${nodes}`,
            edits: [{ op: 'set', kind: 'Gateway', key: g.name, path: ['bgp', 'ways'], value: nodes }],
          },
        }),
      ];
    });
  },
});
