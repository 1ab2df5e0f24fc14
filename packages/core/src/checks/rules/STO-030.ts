import { gigabytesText } from '../../words/amounts.ts';
import { at, each, roomFor } from '../check.ts';

export const STO030 = each('Charter', {
  code: 'STO-030',
  severity: 'mind',
  about: 'after the loss of one host, copies have no room to be made anew',
  find: (d, view) => {
    if (!(d.workloads ?? []).some((w) => w.volumes?.length)) return [];
    const room = roomFor(view, d);
    const kept = room.volumes.filter((v) => v.kind === 'copies' && !v.copies.includes(-1));
    const most = Math.max(0, ...kept.map((v) => v.copies.length));
    // As many hosts as copies: another check and the rehearsal say that none is left to rebuild on.
    if (!kept.length || room.stores.length <= most) return [];
    const held = new Map(room.stores.map((h) => [h, 0]));
    for (const v of room.volumes) for (const c of v.copies) if (held.has(c)) held.set(c, (held.get(c) ?? 0) + v.sizeGB);
    const free = (h: number) => (room.hosts[h]?.volumesGB ?? 0) - (held.get(h) ?? 0);
    const short = room.stores.flatMap((lost) => {
      const wants = kept.filter((v) => v.copies.includes(lost)).reduce((sum, v) => sum + v.sizeGB, 0);
      const has = room.stores.filter((h) => h !== lost).reduce((sum, h) => sum + Math.max(0, free(h)), 0);
      return wants > has ? [{ host: room.hosts[lost]?.name ?? '', wants, has }] : [];
    });
    const [worst] = short.sort((a, b) => b.wants - b.has - (a.wants - a.has));
    if (!worst) return [];
    return [
      at(d, ['storage'], {
        title: `Without ${worst.host}, ${gigabytesText(worst.wants)} of copies are to be made anew, and ${gigabytesText(worst.has)} are free`,
        text: `${short.length === 1 ? 'This is so of that host alone' : `This is so of ${short.length} of ${room.stores.length} hosts`}.`,
      }),
    ];
  },
});
