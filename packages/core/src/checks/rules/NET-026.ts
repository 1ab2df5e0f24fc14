import { at, each, setTo } from '../check.ts';

export const NET026 = each('Gateway', {
  code: 'NET-026',
  severity: 'stop',
  about: 'the number of a virtual router is used twice in a network',
  find: (g, view) => {
    const others = view.by('Gateway', 'site', g.site).filter((o) => o.name < g.name);
    return g.addresses.flatMap((a, i) => {
      const taken = [...others.flatMap((o) => o.addresses), ...g.addresses.slice(0, i)].filter((o) => o.network === a.network);
      const other = taken.find((o) => o.id === a.id && o.address !== a.address);
      if (!other) return [];
      const used = new Set(taken.map((o) => o.id));
      const free = Array.from({ length: 255 }, (_, n) => n + 1).find((n) => !used.has(n));
      return [
        at(g, ['addresses', i, 'id'], {
          title: `Virtual router ${a.id} is there twice in ${a.network}`,
          text: `${a.address} and ${other.address} are told of with one number: each takes the advertisements of the other for its own (RFC 5798 §5.2.3), and who leads changes without end.`,
          ...(free ? { remedy: setTo(g, ['addresses', i, 'id'], free, `Set ${free}`) } : {}),
        }),
      ];
    });
  },
});
