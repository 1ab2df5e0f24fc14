import { nearest } from '../../model/nearest.ts';
import { at, each, setTo } from '../check.ts';

export const STO012 = each('Charter', {
  code: 'STO-012',
  severity: 'mind',
  about: 'a plan for backups names a store that is not there',
  find: (d, view) =>
    (d.backups ?? []).flatMap((b, i) => {
      if (view.get('BackupStore', b.store)) return [];
      const names = view.all('BackupStore').map((s) => s.name);
      const near = nearest(b.store, names);
      const path = ['backups', i, 'store'];
      return [
        at(d, path, {
          title: `${b.name} backs up to ${b.store}, which is not declared`,
          text: names.length ? `There ${names.length === 1 ? 'is' : 'are'} ${names.join(', ')}.` : 'No store is declared.',
          ...(near ? { remedy: setTo(d, path, near, `Take ${near}`) } : {}),
        }),
      ];
    }),
});
