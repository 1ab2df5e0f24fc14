import { at, each, roomFor } from '../check.ts';

export const CHT046 = each('Charter', {
  code: 'CHT-046',
  severity: 'mind',
  about: 'pods of a workload find no host',
  find: (d, view) => {
    if (!d.workloads?.length) return [];
    const room = roomFor(view, d);
    if (!room.hosts.length) return [];
    return room.works.flatMap((w, i) => {
      const homeless = w.pods.filter((p) => room.pods[p]?.host === -1).length;
      if (!homeless) return [];
      const why =
        w.apart && w.always
          ? `No two of them may share a ${w.apart}, and each asks for ${w.cores} cores and ${w.memoryGiB} GiB.`
          : `Each asks for ${w.cores} cores and ${w.memoryGiB} GiB, and no host has that left.`;
      return [
        at(d, ['workloads', i], {
          title: `${homeless} of ${w.pods.length} pods of ${w.name} find no host`,
          text: `${why} They would wait from the first day.`,
        }),
      ];
    });
  },
});
