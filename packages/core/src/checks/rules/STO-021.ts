import { counted, secondsText } from '../../words/amounts.ts';
import { at, coverageFor, each } from '../check.ts';

export const STO021 = each('Charter', {
  code: 'STO-021',
  severity: 'mind',
  about: 'a backup takes longer than until the next one',
  find: (d, view) =>
    (d.backups ?? []).flatMap((b, i) => {
      const of = coverageFor(view, d).filter((v) => v.plan?.name === b.name && v.later !== undefined && v.loses !== undefined);
      const takes = of.reduce((sum, v) => sum + (v.later ?? 0), 0);
      const between = Math.min(...of.map((v) => (v.loses ?? 0) - (v.later ?? 0)));
      if (!of.length || takes <= between) return [];
      return [
        at(d, ['backups', i, 'at'], {
          title: `${b.name} takes ${secondsText(takes / 1000)}, and runs every ${secondsText(between / 1000)}`,
          text: `${counted(of.length, 'volume')} one after the other, with what changes between two.`,
        }),
      ];
    }),
});
