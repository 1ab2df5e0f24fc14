import { at, each } from '../check.ts';

export const STO008 = each('Charter', {
  code: 'STO-008',
  severity: 'mind',
  about: 'a volume of a workload names no storage class, and none is the default',
  find: (d) => {
    if ((d.storage ?? []).some((c) => c.standard)) return [];
    return (d.workloads ?? []).flatMap((w, i) =>
      (w.volumes ?? []).flatMap((v, k) =>
        v.class === undefined
          ? [
              at(d, ['workloads', i, 'volumes', k], {
                title: `${w.name} asks for a volume of the default class, and ${d.name} has none`,
                text: `The claim ${v.name} would wait for ever: name its class, or make one the default.`,
              }),
            ]
          : [],
      ),
    );
  },
});
