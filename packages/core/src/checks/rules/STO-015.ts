import { nextTime } from '../../backup/times.ts';
import { at, clockOf, each } from '../check.ts';

export const STO015 = each('Charter', {
  code: 'STO-015',
  severity: 'mind',
  about: 'a plan for backups never comes',
  find: (d, view) =>
    (d.backups ?? []).flatMap((b, i) =>
      (['at', 'trial'] as const).flatMap((field) => {
        const text = b[field];
        if (!text || nextTime(text, clockOf(view, d.site), Date.parse(view.now)) !== undefined) return [];
        return [
          at(d, ['backups', i, field], {
            title: `${text} of ${b.name} never comes`,
            text: 'No day is as it says: minute, hour, day of the month, month, day of the week.',
          }),
        ];
      }),
    ),
});
