import { at, each, planFor } from '../check.ts';

export const STO006 = each('Charter', {
  code: 'STO-006',
  severity: 'note',
  about: 'all volumes lie on one host each, in a cluster of several',
  find: (d, view) => {
    const { storage, nodes } = planFor(view, d);
    return storage.length && storage.every((c) => c.kind === 'local') && nodes.length > 1
      ? [
          at(d, ['storage', 0, 'kind'], {
            title: `What has a volume in ${d.name} cannot move`,
            text: `All its classes keep volumes on a disk of one host: while that is away, so is what uses them.`,
          }),
        ]
      : [];
  },
});
