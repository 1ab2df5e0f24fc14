import { nextTime } from '../../backup/times.ts';
import { isOpen } from '../../images/moving.ts';
import { at, clockOf, each } from '../check.ts';

export const STO027 = each('Charter', {
  code: 'STO-027',
  severity: 'mind',
  about: 'a plan runs when the link of its site is closed',
  find: (d, view) =>
    (d.backups ?? []).flatMap((b, i) => {
      const store = view.get('BackupStore', b.store);
      const link = view.get('Site', d.site)?.link;
      if (!store || store.site === d.site || !link?.hours) return [];
      const zone = clockOf(view, d.site);
      const next = nextTime(b.at, zone, Date.parse(view.now));
      if (next === undefined || isOpen(link, zone, new Date(next).toISOString()).open) return [];
      return [
        at(d, ['backups', i, 'at'], {
          title: `${b.name} runs at ${b.at}, when the link of ${d.site} is closed`,
          text: `It is open at ${link.hours}.`,
        }),
      ];
    }),
});
