import { at, each, roomFor } from '../check.ts';

export const STO011 = each('Charter', {
  code: 'STO-011',
  severity: 'mind',
  about: 'volumes of the workloads have no room for all of their copies',
  find: (d, view) => {
    if (!(d.workloads ?? []).some((w) => w.volumes?.length)) return [];
    const room = roomFor(view, d);
    const kept = room.volumes.filter((v) => v.kind === 'copies');
    const short = kept.filter((v) => v.copies.includes(-1));
    if (!short.length || !room.stores.length) return [];
    const wants = kept.reduce((sum, v) => sum + v.sizeGB * v.copies.length, 0);
    const has = room.stores.reduce((sum, h) => sum + (room.hosts[h]?.volumesGB ?? 0), 0);
    return [
      at(d, ['workloads'], {
        title: `${short.length} of ${kept.length} volumes lack a copy: ${wants.toLocaleString('en')} GB with copies, and ${has.toLocaleString('en')} GB on the hosts`,
        text: `${short
          .slice(0, 5)
          .map((v) => v.name)
          .join(', ')}${short.length > 5 ? ' …' : ''} would be degraded from the first day.`,
      }),
    ];
  },
});
