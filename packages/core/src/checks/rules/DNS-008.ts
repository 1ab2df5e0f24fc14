import { lintZone } from '../../naming/lint.ts';
import type { Check } from '../check.ts';

/** Those that have a check of their own, or that a plan cannot have. */
const elsewhere = new Set(['cname', 'pair', 'soa', 'ns', 'serial', 'outside']);

export const DNS008: Check = {
  code: 'DNS-008',
  severity: 'mind',
  about: 'a planned zone has something in it that resolvers stumble over',
  reads: ['zones', 'reservations', 'records'],
  find: (view) =>
    view.estate.zones.flatMap((zone) => {
      const records = view.plannedIn(zone.name).map((r, line) => ({ ...r, line }));
      return lintZone(zone.name, records)
        .problems.filter((p) => !elsewhere.has(p.code) && p.severity !== 'note')
        .map((p) => ({
          subject: { kind: 'Zone' as const, name: zone.name },
          path: ['records', records[p.line]?.name ?? ''],
          site: zone.site,
          title: `${records[p.line]?.name ?? zone.name}: ${p.code === 'dangling' ? 'points at nothing' : p.code === 'ttl' ? 'times differ within a set' : 'a name that cannot be'}`,
          text: `${p.message}.`,
        }));
    }),
};
