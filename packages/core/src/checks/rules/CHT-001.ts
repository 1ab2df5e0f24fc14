import { quorumOf } from '../../charter/arithmetic.ts';
import { each } from '../check.ts';

export const CHT001 = each('Charter', {
  code: 'CHT-001',
  severity: 'mind',
  about: 'an even number of etcd members',
  find: (c) => {
    if (c.controlPlane.count % 2) return [];
    const n = c.controlPlane.count;
    const q = quorumOf(n);
    const less = quorumOf(n - 1);
    return [
      {
        subject: { kind: 'Charter' as const, name: c.name },
        path: ['controlPlane', 'count'],
        site: c.site,
        title: `${n} control-plane hosts tolerate no more failures than ${n - 1}`,
        text: `A majority of ${n} is ${q.majority}: ${q.tolerates || 'none'} may be lost, as with ${n - 1} (${less.tolerates || 'none'}), and more can break.`,
        remedy: {
          label: `Set ${n - 1}`,
          edits: [{ op: 'set' as const, kind: 'Charter' as const, key: c.name, path: ['controlPlane', 'count'], value: n - 1 }],
        },
      },
    ];
  },
});
