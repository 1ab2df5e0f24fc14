import { at, each, roomFor } from '../check.ts';

export const STO029 = each('Charter', {
  code: 'STO-029',
  severity: 'mind',
  about: 'all copies of a volume hang on one power feed',
  find: (d, view) => {
    if (!(d.workloads ?? []).some((w) => w.volumes?.length)) return [];
    const room = roomFor(view, d);
    const feeds = new Set(room.stores.map((h) => room.hosts[h]?.feed));
    // Where a host has two feeds, or all hang on one, another place changes nothing.
    if (feeds.has(undefined) || feeds.size < 2) return [];
    const on = room.volumes.flatMap((v) => {
      const placed = v.copies.filter((c) => c >= 0);
      const its = new Set(placed.map((c) => room.hosts[c]?.feed));
      return v.kind === 'copies' && placed.length > 1 && its.size === 1 ? [{ name: v.name, feed: [...its][0] }] : [];
    });
    if (!on.length) return [];
    return [
      at(d, ['storage'], {
        title: `All copies of ${on.length === 1 ? on[0]?.name : `${on.length} volumes`} hang on one power feed`,
        text: `${on
          .slice(0, 5)
          .map((v) => `${v.name} on ${v.feed}`)
          .join(', ')}${on.length > 5 ? ' …' : ''}: hosts with room hang on ${feeds.size} feeds.`,
      }),
    ];
  },
});
