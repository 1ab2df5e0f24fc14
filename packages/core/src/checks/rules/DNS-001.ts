import { drift } from '../../naming/drift.ts';
import type { Check } from '../check.ts';

export const DNS001: Check = {
  code: 'DNS-001',
  severity: 'mind',
  about: 'a served record has another value than the plan',
  reads: ['zones', 'reservations', 'records', 'servedZones'],
  find: (view) =>
    view.estate.zones.flatMap((z) => {
      const served = view.estate.observed.zones[z.name];
      if (!served || served.error) return [];
      return drift(view.plannedIn(z.name), served.records).change.map((c) => ({
        subject: { kind: 'Zone' as const, name: z.name },
        path: [c.name, c.type],
        site: z.site,
        title: `${c.name.replace(`.${z.name}`, '')} answers ${c.served.join(', ')}`,
        text: `The served zone has another ${c.type} than the plan, which says ${c.planned.join(', ')}.`,
        remedy: { label: 'Show the DNS update', act: { kind: 'send-zone' as const, zone: z.name } },
      }));
    }),
};
