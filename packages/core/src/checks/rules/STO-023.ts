import { clockChanges } from '../../backup/times.ts';
import { at, clockOf, each } from '../check.ts';

export const STO023 = each('Charter', {
  code: 'STO-023',
  severity: 'note',
  about: 'clocks change at the time of a plan',
  find: (d, view) =>
    (d.backups ?? []).flatMap((b, i) => {
      const zone = clockOf(view, d.site);
      const changes = clockChanges(b.at, zone, Date.parse(view.now));
      const [first] = changes;
      if (!first) return [];
      const day = (ms: number) =>
        new Date(ms).toLocaleDateString('en-GB', { day: 'numeric', month: 'long', year: 'numeric', timeZone: zone });
      return [
        at(d, ['backups', i, 'at'], {
          title: `Clocks change at the time of ${b.name}`,
          text: `${changes
            .map((c) =>
              c.is === 'lacking'
                ? `On ${day(c.at)} there is no ${c.planned}: it runs at ${c.done}`
                : `On ${day(c.at)} there are two ${c.planned}: it runs at the first`,
            )
            .join('. ')}.`,
        }),
      ];
    }),
});
