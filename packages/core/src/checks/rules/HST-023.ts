import { nearest } from '../../model/nearest.ts';
import { at, each, setTo } from '../check.ts';

export const HST023 = each(['Host', 'Hypervisor'], {
  code: 'HST-023',
  severity: 'mind',
  about: 'a machine stands in a rack or zone that its site does not have',
  find: (d, view) => {
    const site = view.get('Site', d.site);
    if (!site || (d.kind === 'Host' && d.state === 'retired')) return [];
    const wrong =
      d.rack && site.racks.length && !site.racks.some((r) => r.name === d.rack)
        ? (['rack', d.rack, site.racks] as const)
        : d.zone && site.zones.length && !site.zones.some((z) => z.name === d.zone)
          ? (['zone', d.zone, site.zones] as const)
          : undefined;
    if (!wrong) return [];
    const [what, name, there] = wrong;
    const near = nearest(
      name,
      there.map((x) => x.name),
    );
    return [
      at(d, [what], {
        title: `${site.title} has no ${what} ${name}`,
        text: `${d.name} is declared there; the site has ${[...new Set(there.map((x) => x.name))].slice(0, 6).join(', ')}.`,
        ...(near ? { remedy: setTo(d, [what], near, `Set ${near}`) } : {}),
      }),
    ];
  },
});
