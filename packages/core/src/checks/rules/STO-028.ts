import { at, each, setTo } from '../check.ts';

export const STO028 = each('Charter', {
  code: 'STO-028',
  severity: 'mind',
  about: 'a volume that many nodes use is of a class that one node can use',
  find: (d) =>
    (d.workloads ?? []).flatMap((w, i) =>
      (w.volumes ?? []).flatMap((v, k) => {
        const of = v.class === undefined ? d.storage?.find((c) => c.standard) : d.storage?.find((c) => c.name === v.class);
        if (v.access !== 'many-nodes' || of?.kind !== 'local') return [];
        const nfs = d.storage?.find((c) => c.kind === 'nfs');
        const path = ['workloads', i, 'volumes', k, 'class'];
        return [
          at(d, path, {
            title: `${v.name} of ${w.name} is to be used by many nodes, and ${of.name} keeps it on one host`,
            text: 'A local volume takes ReadWriteOnce alone.',
            ...(nfs ? { remedy: setTo(d, path, nfs.name, `Take ${nfs.name}`) } : {}),
          }),
        ];
      }),
    ),
});
