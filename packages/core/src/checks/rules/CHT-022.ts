import { nodeCount } from '../../charter/pools.ts';
import { at, each, planFor } from '../check.ts';

export const CHT022 = each('Charter', {
  code: 'CHT-022',
  severity: 'mind',
  about: 'no block of the pod range is left for a node more',
  find: (d, view) => {
    const { room } = planFor(view, d);
    const nodes = nodeCount(d);
    return room.nodes === nodes
      ? [
          at(d, ['pods', 'range'], {
            title: `${d.pods.range} has a block for each of ${nodes} nodes, and none more`,
            text: 'A node that comes before another goes, as in a rolling update or when a host is replaced, would have no addresses for its pods.',
          }),
        ]
      : [];
  },
});
