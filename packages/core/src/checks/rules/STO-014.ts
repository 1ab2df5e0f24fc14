import { nearest } from '../../model/nearest.ts';
import { at, each, setTo } from '../check.ts';

export const STO014 = each('Charter', {
  code: 'STO-014',
  severity: 'mind',
  about: 'a plan for backups names a volume that no workload has',
  find: (d) => {
    const names = (d.workloads ?? []).flatMap((w) => (w.volumes ?? []).map((v) => `${w.name}/${v.name}`));
    return (d.backups ?? []).flatMap((b, i) =>
      (b.volumes ?? []).flatMap((v, k) => {
        if (names.includes(v)) return [];
        const path = ['backups', i, 'volumes', k];
        const near = nearest(v, names);
        return [
          at(d, path, {
            title: `${b.name} names ${v}, which no workload of ${d.name} has`,
            text: names.length
              ? `There ${names.length === 1 ? 'is' : 'are'} ${names.slice(0, 8).join(', ')}${names.length > 8 ? ' …' : ''}.`
              : 'No workload has a volume.',
            ...(near ? { remedy: setTo(d, path, near, `Take ${near}`) } : {}),
          }),
        ];
      }),
    );
  },
});
