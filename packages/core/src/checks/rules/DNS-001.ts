import { drift } from '../../naming/drift.ts';
import { plannedIn } from '../../naming/plan.ts';
import { each } from '../check.ts';

export const DNS001 = each('Zone', {
  code: 'DNS-001',
  severity: 'mind',
  about: 'a served record has another value than the plan',
  find: (z, view) => {
    const served = view.get('served zone', z.name);
    if (!served || served.error) return [];
    return drift(plannedIn(view, z.name), served.records).change.map((c) => ({
      subject: { kind: 'Zone' as const, name: z.name },
      path: [c.name, c.type],
      site: z.site,
      title: `${c.name.replace(`.${z.name}`, '')} answers ${c.served.join(', ')}`,
      text: `The served zone has another ${c.type} than the plan, which says ${c.planned.join(', ')}.`,
      remedy: { label: 'Show the DNS update', act: { kind: 'send-zone' as const, zone: z.name } },
    }));
  },
});
