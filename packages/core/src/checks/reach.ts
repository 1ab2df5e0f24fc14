import { formatIp, isIp, parseIp } from '../address/parse.ts';
import type { Gateway, Network } from '../model/documents.ts';
import { graphOf, inside } from '../reach/graph.ts';
import type { Reach } from '../reach/graph.ts';
export { published as poolEnd } from '../reach/apart.ts';
export { someoneIn } from '../reach/someone.ts';
import { estateAt } from '../reading/at.ts';
import type { View } from '../reading/index.ts';

/** Who reaches whom at a site, kept as long as its networks, gateways and clusters. */
export const reachAt = (view: View, site: string): Reach => view.memo(`reach at ${site}`, () => graphOf(estateAt(view, site)));

/** Where a member of a gateway stands in a network, by the place of the interface. */
export const facesOf = (g: Gateway) =>
  g.members.flatMap((member, m) =>
    member.interfaces.map((face, f) => ({ member, m, face, path: ['members', m, 'interfaces', f] })),
  );
/** Every route of a gateway: those of all members, and of each, with the members that have it. */
export const routesOf = (g: Gateway) => [
  ...g.routes.map((route, i) => ({ route, path: ['routes', i], members: g.members })),
  ...g.members.flatMap((member, m) =>
    member.routes.map((route, i) => ({ route, path: ['members', m, 'routes', i], members: [member] })),
  ),
];
/** The network in which a member meets a next hop; undefined: it has no address there. */
export const hopNetwork = (view: View, member: Gateway['members'][number], via: string): Network | undefined =>
  member.interfaces.map((f) => view.get('Network', f.network)).find((n) => inside(n, via));

/** Networks in which the router of a network can hand a packet on: its own, and those that the router has an address in too. */
export function nextHopsOf(view: View, n: Network): Network[] {
  const reach = reachAt(view, n.site);
  const names = new Set([n.name, ...reach.of(n.name).flatMap((r) => r.interfaces.map((f) => f.network))]);
  return [...names].flatMap((name) => view.get('Network', name) ?? []);
}

/** An address without a doubt about how it is written. */
export const plainIp = (text: string): string => (isIp(text) ? formatIp(parseIp(text)) : text);

/** AS numbers for use within an organisation (RFC 6996). */
export const privateAs = (n: number): boolean => (n >= 64512 && n <= 65534) || (n >= 4200000000 && n <= 4294967294);
/** AS numbers for texts and examples (RFC 5398). */
export const exampleAs = (n: number): boolean => (n >= 64496 && n <= 64511) || (n >= 65536 && n <= 65551);
