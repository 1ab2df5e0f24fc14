import { standbyVolumes } from '../../backup/standby.ts';
import { at, coverageFor, each } from '../check.ts';

export const STO035 = each('Charter', {
  code: 'STO-035',
  severity: 'mind',
  about: 'a standby copy is of a volume that nothing backs up',
  find: (d, view) =>
    (d.standbys ?? []).flatMap((s, i) => {
      const there = view.get('Charter', s.cluster);
      if (!there || s.cluster === d.name) return [];
      const covered = coverageFor(view, there);
      const bare = standbyVolumes(d, s, there).pairs.filter((p) => !covered.find((c) => c.name === p.there.name)?.store);
      if (!bare.length) return [];
      return [
        at(d, ['standbys', i], {
          title: `The standby copy ${s.workload} never gets anything: ${bare.map((p) => p.there.name).join(', ')} of ${s.cluster} ${bare.length === 1 ? 'has' : 'have'} no backup`,
          text: 'It is made from backups of the other cluster.',
          remedy: { label: `Open ${s.cluster}`, act: { kind: 'open' as const, path: `/clusters/${s.cluster}?field=backups` } },
        }),
      ];
    }),
});
