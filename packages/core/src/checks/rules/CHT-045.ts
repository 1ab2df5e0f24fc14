import { poolsOf } from '../../charter/pools.ts';
import { at, each, planFor } from '../check.ts';

export const CHT045 = each('Charter', {
  code: 'CHT-045',
  severity: 'mind',
  about: 'an operating system is named for a pool that has guests alone',
  find: (d, view) =>
    poolsOf(d).flatMap((pool) => {
      const nodes = planFor(view, d).nodes.filter((n) => n.pool === pool.name);
      if (!pool.system || !nodes.length || nodes.some((n) => !n.guest)) return [];
      const path = [...pool.path, 'system'];
      const moulds = [...new Set(nodes.map((n) => n.guest?.mould))];
      return [
        at(d, path, {
          title: `No node of ${pool.name} starts ${pool.system}`,
          text: `All ${nodes.length} are guests, which start from the disk of ${moulds.join(', ')}.`,
          remedy: {
            label: 'Take it out',
            edits: [{ op: 'set' as const, kind: 'Charter' as const, key: d.name, path, value: undefined }],
          },
        }),
      ];
    }),
});
