import { formatPrefix, parsePrefix } from '../../address/parse.ts';
import { lackingRoutes, editsOf } from '../../reach/mend.ts';
import { someoneIn, reachAt } from '../reach.ts';
import { at, each } from '../check.ts';
import type { Gateway } from '../../model/documents.ts';

const plain = (to: string) => formatPrefix(parsePrefix(to));
/** Prefixes that a member of a gateway reaches: by a route of its own, or as it stands in them. */
const reached = (g: Gateway, m: number, prefixOf: (network: string) => string | undefined) =>
  new Set([
    ...(g.members[m]?.routes.map((r) => plain(r.to)) ?? []),
    ...(g.members[m]?.interfaces.flatMap((f) => prefixOf(f.network) ?? []) ?? []),
  ]);

export const NET031 = each('Gateway', {
  code: 'NET-031',
  severity: 'mind',
  about: 'a member of a gateway lacks a route that another has',
  find: (g, view) => {
    const prefixOf = (network: string) => view.get('Network', network)?.prefix;
    return g.members.flatMap((member, m) => {
      const own = reached(g, m, prefixOf);
      return g.members.flatMap((other) =>
        other.routes.flatMap((route) => {
          const to = plain(route.to);
          if (other === member || own.has(to)) return [];
          own.add(to);
          const reach = reachAt(view, g.site);
          const router = reach.routers.find((r) => r.gateway?.name === g.name && r.gateway.member === m);
          const target = view.by('Network', 'site', g.site).find((n) => n.prefix === to);
          const lacking =
            router && target ? lackingRoutes(reach, router, someoneIn(reach, target), new Map([[g.name, member.name]])) : [];
          const leads = g.addresses.map((a) => a.address);
          return [
            at(g, ['members', m, 'routes'], {
              title: `${member.name} has no route to ${target?.name ?? to}`,
              text: `${other.name} has ${to} over ${route.via}. While ${member.name} leads${leads.length ? ` at ${leads.join(' and ')}` : ''}, what is for ${to} is lost.`,
              ...(lacking.length
                ? { remedy: { label: `Add ${lacking.map((l) => l.text).join(', ')}`, edits: editsOf(lacking) } }
                : {}),
            }),
          ];
        }),
      );
    });
  },
});
