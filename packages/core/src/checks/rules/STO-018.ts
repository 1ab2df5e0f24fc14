import { at, each, setTo } from '../check.ts';

export const STO018 = each('Charter', {
  code: 'STO-018',
  severity: 'mind',
  about: 'backups lie at the site of what they are of',
  find: (d, view) =>
    (d.backups ?? []).flatMap((b, i) => {
      const store = view.get('BackupStore', b.store);
      if (!store || store.site !== d.site) return [];
      const sealed = view.get('Site', d.site)?.reach === 'sealed';
      const other = sealed ? undefined : view.all('BackupStore').find((s) => s.site !== d.site);
      return [
        at(d, ['backups', i, 'store'], {
          title: `${b.name} keeps backups of ${d.name} at its own site`,
          text: `${store.name} stands at ${view.get('Site', d.site)?.title ?? d.site} too${sealed ? ', which nothing leaves over a network' : ''}.`,
          ...(other ? { remedy: setTo(d, ['backups', i, 'store'], other.name, `Take ${other.name}`) } : {}),
        }),
      ];
    }),
});
