import { familiesOf } from '../../charter/families.ts';
import { nodeCount } from '../../charter/pools.ts';
import { each, planFor } from '../check.ts';

export const CHT006 = each('Charter', {
  code: 'CHT-006',
  severity: 'stop',
  about: 'the pod range has fewer blocks than nodes',
  find: (c, view) => {
    const { room } = planFor(view, c);
    const nodes = nodeCount(c);
    return room.nodes < nodes
      ? [
          {
            subject: { kind: 'Charter' as const, name: c.name },
            path: ['pods', 'perNode'],
            site: c.site,
            title: `Room for ${room.nodes} nodes, ${nodes} planned`,
            text: `${familiesOf(c)
              .map((f) => `${f.pods} in blocks of /${f.perNode}`)
              .join(', ')}: ${room.nodes} of them at the most.`,
          },
        ]
      : [];
  },
});
