import { hindered } from '../../hosts/rack.ts';
import { each } from '../check.ts';

export const HST005 = each('Site', {
  code: 'HST-005',
  severity: 'mind',
  about: 'two things in one rack unit, or one that reaches out of its rack',
  find: (site, view) => {
    const here = [...view.by('Host', 'site', site.name), ...view.by('Hypervisor', 'site', site.name)].filter(
      (h) => h.rack && h.unit,
    );
    const racks = new Map<string, typeof here>();
    for (const h of here) racks.set(h.rack as string, [...(racks.get(h.rack as string) ?? []), h]);
    return [...racks].flatMap(([rack, all]) => {
      const told = new Set<string>();
      return all.flatMap((h) => {
        if (h.kind === 'Host' && h.state === 'retired') return [];
        const why = hindered(site, all, h, rack, h.unit as number);
        const other = /^(\S+) stands there$/.exec(why ?? '')?.[1];
        if (!why || (other && told.has(other))) return [];
        told.add(h.name);
        return [
          {
            subject: { kind: h.kind, name: h.name },
            path: ['unit'],
            site: site.name,
            title: other ? `${h.name} and ${other} stand in one place` : `${h.name} cannot stand where it is declared`,
            text: other
              ? `Both are declared in ${rack}, around unit ${h.unit}; spread over zones is computed from this.`
              : `${why}.`,
          },
        ];
      });
    });
  },
});
