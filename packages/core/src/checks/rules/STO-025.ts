import { at, each } from '../check.ts';

export const STO025 = each('Charter', {
  code: 'STO-025',
  severity: 'mind',
  about: 'nothing passes between a cluster and the store of its backups',
  find: (d, view) =>
    (d.backups ?? []).flatMap((b, i) => {
      const store = view.get('BackupStore', b.store);
      if (!store || store.site === d.site) return [];
      const sealed = [d.site, store.site].flatMap((n) => view.get('Site', n) ?? []).find((s) => s.reach === 'sealed');
      if (!sealed) return [];
      return [
        at(d, ['backups', i, 'store'], {
          title: `${sealed.title} is sealed: no backup of ${d.name} gets to ${store.name}`,
          text: `${store.name} stands at ${view.get('Site', store.site)?.title ?? store.site}.`,
        }),
      ];
    }),
});
