import { roomForVolumes, storageNodes } from '../../charter/aspects/storage.ts';
import { at, each, planFor } from '../check.ts';

export const STO010 = each('Charter', {
  code: 'STO-010',
  severity: 'mind',
  about: 'a volume is larger than the room of any host',
  find: (d, view) => {
    if (!(d.workloads ?? []).some((w) => w.volumes?.length)) return [];
    const { nodes, storage } = planFor(view, d);
    const most = Math.max(0, ...storageNodes(nodes).map(roomForVolumes));
    if (!nodes.length) return [];
    return (d.workloads ?? []).flatMap((w, i) =>
      (w.volumes ?? []).flatMap((v, k) => {
        const of = v.class === undefined ? storage.find((c) => c.standard) : storage.find((c) => c.name === v.class);
        return of && of.kind !== 'nfs' && v.sizeGB > most
          ? [
              at(d, ['workloads', i, 'volumes', k, 'sizeGB'], {
                title: `${v.name} of ${w.name} has ${v.sizeGB.toLocaleString('en')} GB, and no host has room for more than ${most.toLocaleString('en')}`,
                text: 'A copy of a volume lies on one host as a whole.',
              }),
            ]
          : [];
      }),
    );
  },
});
