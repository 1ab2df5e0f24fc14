import { counted } from '../../words/amounts.ts';
import { at, coverageFor, each, setTo } from '../check.ts';

export const STO017 = each('Charter', {
  code: 'STO-017',
  severity: 'mind',
  about: 'a plan keeps one backup alone',
  find: (d, view) =>
    (d.backups ?? []).flatMap((b, i) => {
      const of = coverageFor(view, d).find((v) => v.plan?.name === b.name && v.store);
      if (!of || of.count > 1) return [];
      return [
        at(d, ['backups', i, 'keep'], {
          title: `${b.name} keeps one backup of each volume`,
          text:
            b.keep.last === undefined
              ? `It runs at ${b.at}, and what is older than ${counted(b.keep.days ?? 0, 'day')} goes before the next one comes; the newest alone stays.`
              : 'Each one takes the place of the one before.',
          remedy: setTo(d, ['backups', i, 'keep', 'last'], 7, 'Keep the newest 7'),
        }),
      ];
    }),
});
