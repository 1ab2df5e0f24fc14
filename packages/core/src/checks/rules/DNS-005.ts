import { plannedIn } from '../../naming/plan.ts';
import { each } from '../check.ts';

export const DNS005 = each('Zone', {
  code: 'DNS-005',
  severity: 'note',
  about: 'two names for one reverse record',
  find: (z, view) => {
    const names = new Map<string, string[]>();
    for (const r of plannedIn(view, z.name)) {
      if (r.type !== 'PTR') continue;
      const values = names.get(r.name);
      if (values) values.push(r.value);
      else names.set(r.name, [r.value]);
    }
    return [...names]
      .filter(([, values]) => new Set(values).size > 1)
      .map(([name, values]) => ({
        subject: { kind: 'Zone' as const, name: z.name },
        path: [name, 'PTR'],
        site: z.site,
        title: `${name} has ${values.length} names`,
        text: `${values.join(' and ')}: whoever asks gets them in any order.`,
      }));
  },
});
