import { at, each } from '../check.ts';
import { addonsOf } from '../../model/bills.ts';

const programs = ['volume-controller', 'volume-node'];

export const STO005 = each('Charter', {
  code: 'STO-005',
  severity: 'stop',
  about: 'volumes are to be kept as copies, and no program keeps them',
  find: (d, view) => {
    const i = (d.storage ?? []).findIndex((c) => c.kind === 'copies');
    if (i < 0) return [];
    const has = new Set(
      [view.get('Release', d.release), ...addonsOf(d).map((a) => view.get('Addon', a))].flatMap(
        (x) => x?.components.map((c) => c.name) ?? [],
      ),
    );
    const lacks = programs.filter((p) => !has.has(p));
    return lacks.length
      ? [
          at(d, ['storage', i, 'kind'], {
            title: `Nothing keeps the copies of ${d.storage?.[i]?.name}`,
            text: `Neither release ${d.release} nor an add-on has ${lacks.join(' or ')}: every claim of the class would wait for ever.`,
          }),
        ]
      : [];
  },
});
