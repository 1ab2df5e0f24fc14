import { billsOf } from '../../model/bills.ts';
import { behind } from '../../images/behind.ts';
import { bytesText } from '../../words/amounts.ts';
import { sizeOf } from '../../images/bill.ts';
import { deletable } from '../../images/retention.ts';
import { each } from '../check.ts';
import { estateOf } from '../mirrors.ts';

export const IMG012 = each('Registry', {
  code: 'IMG-012',
  severity: 'mind',
  about: 'a registry has no room for what it lacks',
  find: (r, view) => {
    const seen = view.get('seen registry', r.name);
    if (r.role === 'source' || seen?.free === undefined) return [];
    // What all of it weighs first: what is there already is only looked for where that would not fit.
    const bills = [...new Set(view.by('Charter', 'mirror', r.name).flatMap((c) => billsOf(c)))];
    if (sizeOf(bills.flatMap((n) => view.get('bill', n) ?? [])).bytes <= seen.free) return [];
    const estate = estateOf(view, r.name);
    const bytes = behind(estate, [r])[0]?.bytes ?? 0;
    if (bytes <= seen.free) return [];
    const { free } = deletable(estate, r.name, { last: 1 });
    return [
      {
        subject: { kind: 'Registry' as const, name: r.name },
        path: ['diskGB'],
        site: r.site,
        title: `${r.name} has room for ${bytesText(seen.free)}, and lacks ${bytesText(bytes)}`,
        text: `A shipment of what its clusters need would stop when the disk is full. ${
          free.bytes > 0
            ? `${bytesText(free.bytes)} there are asked for by nobody.`
            : 'Nobody asks for less: it needs a larger disk.'
        }`,
        ...(free.bytes > 0
          ? {
              remedy: {
                label: 'Show what can be deleted',
                act: { kind: 'open' as const, path: `/images/clean-up?registry=${r.name}` },
              },
            }
          : {}),
      },
    ];
  },
});
