import { at, each } from '../check.ts';

export const NET042 = each('Gateway', {
  code: 'NET-042',
  severity: 'mind',
  about: 'members of a gateway share an uplink',
  find: (g, view) => {
    const ups = g.members.map((m, i) => ({
      m,
      i,
      up: m.interfaces.flatMap((f) => {
        const n = view.get('Network', f.network);
        return n?.purpose === 'uplink' ? [n] : [];
      }),
    }));
    return ups.flatMap(({ m, i, up }) => {
      const other = ups
        .slice(0, i)
        .find(
          (o) =>
            o.up.length &&
            up.length &&
            o.up.every((x) => up.some((y) => same(x, y))) &&
            up.every((y) => o.up.some((x) => same(x, y))),
        );
      if (!other) return [];
      const [n] = up;
      return [
        at(g, ['members', i, 'interfaces'], {
          title: `${other.m.name} and ${m.name} both leave over VLAN ${n?.vlan ?? '—'}`,
          text: `${n?.name} is the only uplink of both: when it is away, the second member is of no use. Give each an uplink on a VLAN of its own.`,
        }),
      ];
    });
  },
});
const same = (a: { name: string; site: string; vlan?: number | undefined }, b: typeof a) =>
  a.name === b.name || (a.vlan !== undefined && a.vlan === b.vlan && a.site === b.site);
