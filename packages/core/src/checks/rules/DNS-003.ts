import type { Check } from '../check.ts';

export const DNS003: Check = {
  code: 'DNS-003',
  severity: 'stop',
  about: 'a CNAME beside other data',
  reads: ['zones', 'reservations', 'records'],
  find: (view) => {
    const types = new Map<string, Set<string>>();
    for (const r of view.planned()) types.set(r.name, (types.get(r.name) ?? new Set()).add(r.type));
    return view.estate.records
      .filter((r) => r.type === 'CNAME')
      .flatMap((r) => {
        const name = r.name.endsWith(r.zone) ? r.name : `${r.name}.${r.zone}`;
        const other = [...(types.get(name) ?? [])].filter((t) => t !== 'CNAME');
        return other.length
          ? [
              {
                subject: { kind: 'Record' as const, name: `${r.name} ${r.type} ${r.value}` },
                path: ['type'],
                site: view.estate.zones.find((z) => z.name === r.zone)?.site ?? '',
                title: `${r.name} is a CNAME and has ${other.join(', ')} too`,
                text: 'A name with a CNAME may have nothing else (RFC 1034 §3.6.2); servers refuse the zone or drop one silently.',
                remedy: {
                  label: 'Remove the CNAME',
                  edits: [{ op: 'drop' as const, kind: 'Record' as const, key: `${r.name} ${r.type} ${r.value}` }],
                },
              },
            ]
          : [];
      });
  },
};
