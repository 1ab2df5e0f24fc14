import { formatPrefix, parsePrefix } from '../address/parse.ts';
import type { Kind } from '../model/documents.ts';
import type { Edit } from '../model/edit.ts';
import { addressOf, inside, type Leads, type Reach, type Router } from './graph.ts';
import type { Packet } from './rules.ts';
import type { End } from './trace.ts';

/** One element that a list of a document lacks: where in it, at its end where `before` is not said. */
export interface Lacking {
  kind: Kind;
  key: string;
  path: (string | number)[];
  list: readonly unknown[];
  element: unknown;
  before?: number;
  /** In words: `10.62.40.0/24 via 10.62.0.1 on lr-gate-b`. */
  text: string;
}

/** What is lacking as edits: of several elements of one list there is one. */
export function editsOf(lacking: readonly Lacking[]): Edit[] {
  if (!lacking.length) return [];
  const lists = new Map<string, Extract<Edit, { op: 'set' }> & { value: unknown[] }>();
  for (const l of lacking) {
    const at = JSON.stringify([l.kind, l.key, l.path]);
    const edit = lists.get(at) ?? { op: 'set' as const, kind: l.kind, key: l.key, path: l.path, value: [...l.list] };
    if (!edit.value.some((e) => JSON.stringify(e) === JSON.stringify(l.element)))
      edit.value.splice(l.before ?? edit.value.length, 0, l.element);
    lists.set(at, edit);
  }
  return [...lists.values()];
}

/** A rule that lets a packet pass, in front of the one that stopped it. */
export function lackingRule(reach: Reach, router: Router, packet: Packet, from: End, to: End, before: number): Lacking[] {
  const of = (e: End, address: string) => {
    const n = reach.networks.get(e.network);
    return inside(n, address) ? n?.prefix : `${address}/${address.includes(':') ? 128 : 32}`;
  };
  const { protocol, port } = packet;
  const element = {
    do: 'allow' as const,
    ...{ from: of(from, packet.source), to: of(to, packet.destination) },
    ...(protocol ? { protocol, ...(port !== undefined && protocol !== 'icmp' ? { port } : {}) } : {}),
  };
  const { kind, name, path } = router.ruled;
  return [
    {
      kind,
      key: name,
      path,
      list: router.rules,
      element,
      before,
      text: `allow from ${element.from} to ${element.to} on ${router.name}`,
    },
  ];
}

/**
 * The fewest routes that bring a packet from a router to its end: a search in which a step that is routed already costs nothing, and one that lacks a route costs
 * one (0-1 breadth first search, Dial 1969). Routes that stand are not changed. None: no set of routes brings it there.
 */
export function lackingRoutes(reach: Reach, start: Router, to: End, leads: Leads): Lacking[] {
  const target = reach.networks.get(to.network);
  if (!target) return [];
  const prefix = inside(target, to.address) ? target.prefix : `${to.address}/${to.address.includes(':') ? 128 : 32}`;
  const wanted = parsePrefix(prefix).length;
  const address = addressOf(to.address);
  /** It stands in the network, or is said to hand over into it. */
  const arrives = (r: Router) => {
    const way = r.table.longest(address)?.value;
    return (
      r.interfaces.some((f) => f.network === target.name) || (way !== undefined && 'into' in way && way.into === target.name)
    );
  };
  const done = new Set<Router>();
  let level: { router: Router; lacks: readonly Lacking[] }[] = [{ router: start, lacks: [] }];
  while (level.length) {
    const next: typeof level = [];
    // What costs nothing more is looked at in the same round: the list grows while it is walked.
    for (let i = 0; i < level.length; i++) {
      const { router, lacks } = level[i] as (typeof level)[number];
      if (done.has(router)) continue;
      done.add(router);
      if (arrives(router)) return [...lacks];
      const chosen = router.table.longest(address);
      const way = chosen?.value;
      // A router of which one address alone is declared is joined to others by being said to be.
      if (!router.gateway) {
        const n = router.interfaces[0]?.network ?? '';
        const own = reach.networks.get(n);
        if (own && !way)
          next.push({
            router: { ...router, interfaces: [...router.interfaces, { network: target.name, address: '', mtu: target.mtu }] },
            lacks: [
              ...lacks,
              {
                kind: 'Network',
                key: n,
                path: ['routesTo'],
                list: own.routesTo,
                element: target.name,
                text: `${n} routed to ${target.name}`,
              },
            ],
          });
      }
      if (way && 'via' in way) {
        const on = router.interfaces.find((f) => inside(reach.networks.get(f.network), way.via));
        const there = on && reach.at(on.network, way.via, leads)[0];
        if (there) level.push({ router: there, lacks });
      }
      // A route that stands and is as long would have to be changed: it is somebody's decision.
      if (!router.gateway || (chosen && chosen.prefix.length >= wanted)) continue;
      // Over another gateway before over another member of its own, which is there so that one can be away.
      // Over another gateway before over another member of its own, which is there so that one can be away.
      const met = router.interfaces
        .flatMap((f) => reach.in(f.network).map((neighbour) => ({ f, neighbour })))
        .sort((a, b) => sibling(router, a.neighbour) - sibling(router, b.neighbour));
      for (const { f, neighbour } of met) {
        const via = addressIn(reach, neighbour, f.network, leads);
        if (neighbour !== router && !done.has(neighbour) && via)
          next.push({ router: neighbour, lacks: [...lacks, routeOn(reach, router, prefix, via)] });
      }
    }
    level = next;
  }
  return [];
}

const sibling = (a: Router, b: Router): number => Number(a.gateway?.name === b.gateway?.name);

/** Where a router is spoken to in a network: at an address that moves, where it leads there, else at its own. */
function addressIn(reach: Reach, r: Router, network: string, leads: Leads): string | undefined {
  const own = r.interfaces.find((f) => f.network === network)?.address;
  const g = r.gateway && reach.gateways.get(r.gateway.name);
  const moving = g?.addresses.find((a) => a.network === network && reach.at(network, a.address, leads)[0] === r);
  return moving?.address ?? own;
}

function routeOn(reach: Reach, r: Router, prefix: string, via: string): Lacking {
  const { name: key, member } = r.gateway as NonNullable<Router['gateway']>;
  const list = reach.gateways.get(key)?.members[member]?.routes ?? [];
  const to = formatPrefix(parsePrefix(prefix));
  return {
    kind: 'Gateway',
    key,
    path: ['members', member, 'routes'],
    list,
    element: { to, via },
    text: `${to} via ${via} on ${r.name}`,
  };
}
