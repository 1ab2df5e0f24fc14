import { at, each, setTo } from '../check.ts';

export const STO022 = each('Charter', {
  code: 'STO-022',
  severity: 'mind',
  about: 'backups are never restored to see whether they can be',
  find: (d) =>
    (d.backups ?? []).flatMap((b, i) =>
      b.trial
        ? []
        : [
            at(d, ['backups', i, 'trial'], {
              title: `Backups of ${b.name} are never tested`,
              text: 'None is read back and held against what was sent.',
              remedy: setTo(d, ['backups', i, 'trial'], '0 5 * * 0', 'Test every Sunday at five'),
            }),
          ],
    ),
});
