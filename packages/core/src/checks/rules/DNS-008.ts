import { lintZone } from '../../naming/lint.ts';
import { plannedIn } from '../../naming/plan.ts';
import { each } from '../check.ts';

/** Those that have a check of their own, or that a plan cannot have. */
const elsewhere = new Set(['cname', 'pair', 'soa', 'ns', 'serial', 'outside']);

export const DNS008 = each('Zone', {
  code: 'DNS-008',
  severity: 'mind',
  about: 'a planned zone has something in it that resolvers stumble over',
  find: (zone, view) => {
    const records = plannedIn(view, zone.name).map((r, line) => ({ ...r, line }));
    return lintZone(zone.name, records)
      .problems.filter((p) => !elsewhere.has(p.code) && p.severity !== 'note')
      .map((p) => ({
        subject: { kind: 'Zone' as const, name: zone.name },
        path: ['records', records[p.line]?.name ?? ''],
        site: zone.site,
        title: `${records[p.line]?.name ?? zone.name}: ${p.code === 'dangling' ? 'points at nothing' : p.code === 'ttl' ? 'times differ within a set' : 'a name that cannot be'}`,
        text: `${p.message}.`,
      }));
  },
});
