import { fqdn, plannedAt } from '../../naming/plan.ts';
import { each } from '../check.ts';

export const DNS003 = each('Record', {
  code: 'DNS-003',
  severity: 'stop',
  about: 'a CNAME beside other data',
  find: (r, view) => {
    if (r.type !== 'CNAME') return [];
    const types = plannedAt(view, r.zone, fqdn(r.name, r.zone)).map((p) => p.type);
    const other = [...new Set(types)].filter((t) => t !== 'CNAME').sort();
    return other.length
      ? [
          {
            subject: { kind: 'Record' as const, name: `${r.name} ${r.type} ${r.value}` },
            path: ['type'],
            site: view.get('Zone', r.zone)?.site ?? '',
            title: `${r.name} is a CNAME and has ${other.join(', ')} too`,
            text: 'A name with a CNAME may have nothing else (RFC 1034 §3.6.2); servers refuse the zone or drop one silently.',
            remedy: {
              label: 'Remove the CNAME',
              edits: [{ op: 'drop' as const, kind: 'Record' as const, key: `${r.name} ${r.type} ${r.value}` }],
            },
          },
        ]
      : [];
  },
});
