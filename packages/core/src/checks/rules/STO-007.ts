import { nearest } from '../../model/nearest.ts';
import { at, each, setTo } from '../check.ts';

export const STO007 = each('Charter', {
  code: 'STO-007',
  severity: 'mind',
  about: 'a volume of a workload is of a storage class that is not there',
  find: (d) => {
    const names = (d.storage ?? []).map((c) => c.name);
    return (d.workloads ?? []).flatMap((w, i) =>
      (w.volumes ?? []).flatMap((v, k) => {
        if (v.class === undefined || names.includes(v.class)) return [];
        const path = ['workloads', i, 'volumes', k, 'class'];
        const near = nearest(v.class, names);
        return [
          at(d, path, {
            title: `${w.name} asks for the storage class ${v.class}, which ${d.name} does not have`,
            text: `There ${names.length ? `are ${names.join(', ')}` : 'is none'}: the claim ${v.name} would wait for ever.`,
            ...(near ? { remedy: setTo(d, path, near, `Take ${near}`) } : {}),
          }),
        ];
      }),
    );
  },
});
