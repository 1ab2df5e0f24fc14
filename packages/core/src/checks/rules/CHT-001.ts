import { quorumOf } from '../../charter/arithmetic.ts';
import type { Check } from '../check.ts';

export const CHT001: Check = {
  code: 'CHT-001',
  severity: 'mind',
  about: 'an even number of etcd members',
  reads: ['charters'],
  find: ({ estate }) =>
    estate.charters
      .filter((c) => c.controlPlane.count % 2 === 0)
      .map((c) => {
        const n = c.controlPlane.count;
        const q = quorumOf(n);
        const less = quorumOf(n - 1);
        return {
          subject: { kind: 'Charter', name: c.name },
          path: ['controlPlane', 'count'],
          site: c.site,
          title: `${n} control-plane hosts tolerate no more failures than ${n - 1}`,
          text: `A majority of ${n} is ${q.majority}: ${q.tolerates || 'none'} may be lost, as with ${n - 1} (${less.tolerates || 'none'}), and more can break.`,
          remedy: {
            label: `Set ${n - 1}`,
            edits: [{ op: 'set', kind: 'Charter', key: c.name, path: ['controlPlane', 'count'], value: n - 1 }],
          },
        };
      }),
};
