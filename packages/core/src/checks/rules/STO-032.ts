import { at, each } from '../check.ts';

export const STO032 = each('Charter', {
  code: 'STO-032',
  severity: 'mind',
  about: 'the last test of a backup failed',
  find: (d, view) =>
    Object.entries(view.get('seen backups', d.name)?.volumes ?? {}).flatMap(([name, b]) =>
      b.tried && !b.tried.good
        ? [
            at(d, ['backups'], {
              title: `The newest backup of ${name} cannot be given back`,
              text: `${b.tried.text}.`,
              remedy: { label: 'Open its volumes', act: { kind: 'open' as const, path: `/clusters/${d.name}?tab=volumes` } },
            }),
          ]
        : [],
    ),
});
