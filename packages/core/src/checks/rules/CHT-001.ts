import { quorumOf } from '../../charter/arithmetic.ts';
import { fits } from '../../charter/placement.ts';
import { each, planFor, setTo } from '../check.ts';

export const CHT001 = each('Charter', {
  code: 'CHT-001',
  severity: 'mind',
  about: 'an even number of etcd members',
  find: (c, view) => {
    if (c.controlPlane.count % 2) return [];
    const n = c.controlPlane.count;
    const q = quorumOf(n);
    const less = quorumOf(n - 1);
    // One more where a host for it is there: three before one.
    const better = planFor(view, c).notChosen.some((h) => h.why === fits) && n < 9 ? n + 1 : n - 1;
    return [
      {
        subject: { kind: 'Charter' as const, name: c.name },
        path: ['controlPlane', 'count'],
        site: c.site,
        title: `${n} control-plane hosts tolerate no more failures than ${n - 1}`,
        text: `A majority of ${n} is ${q.majority}: ${q.tolerates || 'none'} may be lost, as with ${n - 1} (${less.tolerates || 'none'}), and more can break.`,
        remedy: setTo(c, ['controlPlane', 'count'], better, `Set ${better}`),
      },
    ];
  },
});
