import { workerPools } from '../../charter/pools.ts';
import { at, each, setTo } from '../check.ts';

const keepsAway = (taint: string) => /:(NoSchedule|NoExecute)$/.test(taint);

export const CHT026 = each('Charter', {
  code: 'CHT-026',
  severity: 'stop',
  about: 'every pool of workers keeps pods away',
  find: (d) => {
    const pools = workerPools(d).filter((p) => p.count > 0);
    const [first] = pools;
    if (!first || !pools.every((p) => p.taints.some(keepsAway))) return [];
    return [
      at(d, [...first.path, 'taints'], {
        title: `Nothing can run on the workers of ${d.name}`,
        text: `${pools.map((p) => `${p.name} has ${p.taints.filter(keepsAway).join(', ')}`).join('; ')}. The DNS of the cluster and its add-ons tolerate no taint, and would wait for ever.`,
        remedy: setTo(
          d,
          [...first.path, 'taints'],
          first.taints.some((t) => !keepsAway(t)) ? first.taints.filter((t) => !keepsAway(t)) : undefined,
          `Take the taints off ${first.name}`,
        ),
      }),
    ];
  },
});
