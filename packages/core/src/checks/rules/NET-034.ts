import { at, each, setTo } from '../check.ts';

export const NET034 = each('Gateway', {
  code: 'NET-034',
  severity: 'mind',
  about: 'two members of a gateway have one priority',
  find: (g) =>
    g.addresses.every((a) => a.leads)
      ? []
      : g.members.flatMap((m, i) => {
          const other = g.members.slice(0, i).find((o) => o.priority === m.priority);
          if (!other) return [];
          const used = new Set(g.members.map((x) => x.priority));
          const lower = Array.from({ length: 253 }, (_, n) => m.priority - n - 1).find((n) => n > 0 && !used.has(n));
          return [
            at(g, ['members', i, 'priority'], {
              title: `${m.name} and ${other.name} both have priority ${m.priority}`,
              text: 'The one with the higher address leads then (RFC 5798 §6.4.3), and nobody has decided that.',
              ...(lower ? { remedy: setTo(g, ['members', i, 'priority'], lower, `Set ${lower}`) } : {}),
            }),
          ];
        }),
});
