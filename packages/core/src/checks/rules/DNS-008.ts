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
    const planned = plannedIn(view, zone.name);
    const wrong = (records: Parameters<typeof lintZone>[1]) =>
      lintZone(zone.name, records).problems.filter((p) => !elsewhere.has(p.code) && p.severity !== 'note');
    // Most zones are well: their records are numbered only where one is not.
    if (!wrong(planned).length) return [];
    const records = planned.map((r, line) => ({ ...r, line }));
    return wrong(records).map((p) => ({
      subject: { kind: 'Zone' as const, name: zone.name },
      path: ['records', records[p.line]?.name ?? ''],
      site: zone.site,
      title: `${records[p.line]?.name ?? zone.name}: ${p.code === 'dangling' ? 'points at nothing' : p.code === 'ttl' ? 'times differ within a set' : 'a name that cannot be'}`,
      text: `${p.message}.`,
    }));
  },
});
