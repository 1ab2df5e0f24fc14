import { poolsOf } from '../../charter/pools.ts';
import { nearest } from '../../model/nearest.ts';
import { at, each, setTo } from '../check.ts';

export const CHT029 = each('Charter', {
  code: 'CHT-029',
  severity: 'stop',
  about: 'a pool asks for a zone in which no host stands',
  find: (d, view) => {
    const zones = [...new Set(view.by('Host', 'site', d.site).flatMap((h) => h.zone ?? []))].sort();
    return poolsOf(d).flatMap((p) =>
      (p.zones ?? []).flatMap((zone, i) => {
        if (zones.includes(zone)) return [];
        const near = nearest(zone, zones);
        const rest = (p.zones ?? []).filter((_, k) => k !== i);
        return [
          at(d, [...p.path, 'zones', i], {
            title: `No host of ${d.site} stands in zone ${zone}`,
            text: `${p.name} asks for it. Zones with hosts are ${zones.join(', ') || 'none'}.`,
            remedy: near
              ? setTo(d, [...p.path, 'zones', i], near, `Set ${near}`)
              : setTo(d, [...p.path, 'zones'], rest.length ? rest : undefined, 'Take it out'),
          }),
        ];
      }),
    );
  },
});
