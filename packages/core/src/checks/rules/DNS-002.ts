import { reverseName, zoneFor } from '../../naming/reverse.ts';
import { fqdn } from '../../naming/plan.ts';
import type { Check } from '../check.ts';

export const DNS002: Check = {
  code: 'DNS-002',
  severity: 'mind',
  about: 'a forward record without a reverse',
  reads: ['zones', 'reservations', 'records'],
  find: (view) => {
    const back = new Set(
      view
        .planned()
        .filter((r) => r.type === 'PTR')
        .map((r) => `${r.name} ${r.value}`),
    );
    return view.estate.records.flatMap((r) => {
      if (r.type !== 'A' && r.type !== 'AAAA') return [];
      const name = fqdn(r.name, r.zone);
      const owner = reverseName(r.value);
      const zone = zoneFor(owner, view.estate.zones);
      if (name.startsWith('*.') || !zone || back.has(`${owner} ${name}`)) return [];
      return [
        {
          subject: { kind: 'Record' as const, name: `${r.name} ${r.type} ${r.value}` },
          path: ['value'],
          site: zone.site,
          title: `${r.name} has no reverse record`,
          text: `${r.value} answers nothing in ${zone.name}.`,
          remedy: {
            label: 'Add PTR',
            edits: [
              {
                op: 'put' as const,
                doc: {
                  apiVersion: 'praesidor/v1' as const,
                  kind: 'Record' as const,
                  zone: zone.name,
                  name: owner,
                  type: 'PTR' as const,
                  value: name,
                },
              },
            ],
          },
        },
      ];
    });
  },
};
