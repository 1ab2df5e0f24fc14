import { at, each } from '../check.ts';

/** Who has each moving address while everybody is there. */
const leaderOf = (g: { members: { name: string; priority: number }[] }, leads: string | undefined) =>
  leads ?? [...g.members].sort((a, b) => b.priority - a.priority)[0]?.name;

export const NET035 = each('Gateway', {
  code: 'NET-035',
  severity: 'mind',
  about: 'answers take another member than questions, and rules or translation know of one alone',
  find: (g) => {
    const [first, ...others] = g.addresses.map((a, i) => ({ a, i, by: leaderOf(g, a.leads) }));
    const other = others.find((o) => o.by !== first?.by);
    const knows = g.rules.some((r) => r.do === 'deny') || g.nat.length > 0;
    if (!first || !other || !knows) return [];
    return [
      at(g, ['addresses', other.i, 'leads'], {
        title: `${other.a.network} leaves over ${other.by}, ${first.a.network} over ${first.by}`,
        text: `Between the two a question passes ${first.by} and its answer ${other.by}, which knows of no such connection: ${g.nat.length ? 'it cannot translate it back' : 'its rules stop it'}.`,
        remedy: {
          label: `Let ${first.by} lead at both`,
          edits: [{ op: 'set', kind: 'Gateway', key: g.name, path: ['addresses', other.i, 'leads'], value: first.by }],
        },
      }),
    ];
  },
});
