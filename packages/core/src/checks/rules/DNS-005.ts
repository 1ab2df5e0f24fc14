import type { Check } from '../check.ts';

export const DNS005: Check = {
  code: 'DNS-005',
  severity: 'note',
  about: 'two names for one reverse record',
  reads: ['zones', 'reservations', 'records'],
  find: (view) => {
    const names = new Map<string, { values: string[]; zone: string }>();
    for (const r of view.planned())
      if (r.type === 'PTR') {
        const n = names.get(r.name) ?? { values: [], zone: r.zone };
        n.values.push(r.value);
        names.set(r.name, n);
      }
    return [...names]
      .filter(([, n]) => new Set(n.values).size > 1)
      .map(([name, n]) => ({
        subject: { kind: 'Zone' as const, name: n.zone },
        path: [name, 'PTR'],
        site: view.estate.zones.find((z) => z.name === n.zone)?.site ?? '',
        title: `${name} has ${n.values.length} names`,
        text: `${n.values.join(' and ')}: whoever asks gets them in any order.`,
      }));
  },
};
