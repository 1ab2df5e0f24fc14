import { fqdn, plannedAt, zoneNameOf } from '../../naming/plan.ts';
import { reverseName } from '../../naming/reverse.ts';
import { each } from '../check.ts';

export const DNS002 = each('Record', {
  code: 'DNS-002',
  severity: 'mind',
  about: 'a forward record without a reverse',
  find: (r, view) => {
    if (r.type !== 'A' && r.type !== 'AAAA') return [];
    const name = fqdn(r.name, r.zone);
    const owner = reverseName(r.value);
    const zone = view.get('Zone', zoneNameOf(view)(owner) ?? '');
    if (name.startsWith('*.') || !zone) return [];
    if (plannedAt(view, zone.name, owner).some((p) => p.type === 'PTR' && p.value === name)) return [];
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
  },
});
