import { overlaps, parsePrefix, prefixRange } from '../../address/index.ts';
import { at, each } from '../check.ts';

const range = (prefix: string) => prefixRange(parsePrefix(prefix));

export const NET044 = each('Gateway', {
  code: 'NET-044',
  severity: 'mind',
  about: 'a way round the rules of a gateway',
  find: (g, view) => {
    const denied = g.rules.filter((r) => r.do === 'deny');
    if (!denied.length) return [];
    /** Whether something that is denied is sent from a network: only there can somebody take another next hop. */
    const from = (name: string) => {
      const n = view.get('Network', name);
      return n !== undefined && denied.some((r) => !r.from || overlaps(range(r.from), range(n.prefix)));
    };
    const mine = new Set(g.members.flatMap((m) => m.interfaces.map((f) => f.network)));
    return view.by('Gateway', 'site', g.site).flatMap((o) => {
      if (o.name === g.name || o.rules.some((r) => r.do === 'deny')) return [];
      const both = [...new Set(o.members.flatMap((m) => m.interfaces.map((f) => f.network)))].filter((n) => mine.has(n));
      return both.length > 1 && both.some(from)
        ? [
            at(g, ['rules'], {
              title: `${o.name} is a way round the rules of ${g.name}`,
              text: `Both join ${both.join(' and ')}, and ${o.name} stops nothing: a machine that takes it for its next hop passes all that ${g.name} denies.`,
              remedy: {
                label: `Give ${o.name} the same rules`,
                edits: [{ op: 'set', kind: 'Gateway', key: o.name, path: ['rules'], value: [...g.rules, ...o.rules] }],
              },
            }),
          ]
        : [];
    });
  },
});
