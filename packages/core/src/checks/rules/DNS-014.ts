import { plannedAt, zoneNameOf } from '../../naming/plan.ts';
import { inZone } from '../../naming/reverse.ts';
import { at, each } from '../check.ts';

export const DNS014 = each('Zone', {
  code: 'DNS-014',
  severity: 'mind',
  about: 'a name server inside its own zone has no address',
  find: (d, view) => {
    return d.servers.flatMap((server) => {
      if (!inZone(server, d.name) || zoneNameOf(view)(server) !== d.name) return [];
      const known = plannedAt(view, d.name, server).some((r) => r.type === 'A' || r.type === 'AAAA');
      return known
        ? []
        : [
            at(d, ['servers'], {
              title: `${server} has no address`,
              text: `It serves ${d.name} and has its name in it; nothing planned says where it is.`,
              remedy: { label: 'Reserve its address', act: { kind: 'open' as const, path: `/addresses?site=${d.site}` } },
            }),
          ];
    });
  },
});
