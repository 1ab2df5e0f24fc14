import { formatPrefix, holds, parseIp, parsePrefix, prefixRange } from '../address/parse.ts';
import type { Edit } from '../model/edit.ts';
import type { Network } from '../model/documents.ts';
import type { Entry } from './prefix-trie.ts';
import type { From, Reach, Router, Way } from './graph.ts';

/** One end of a path: an address in a network, and whose it is. */
export interface End {
  label: string;
  address: string;
  network: string;
  /** Any of its network, and nobody's in particular. */
  any?: true;
}
/** One step of a packet. */
export interface Hop {
  /** Who sends it on. */
  at: string;
  /** In which network it travels then, with its VLAN and how large a packet may be there. */
  network: string;
  vlan: number | undefined;
  mtu: number;
  /** To whom it is handed there; undefined: to the receiver itself. */
  next: string | undefined;
  /** The prefix that chose the way, and where it is declared; undefined: sender and receiver lie in one network. */
  chosen: { prefix: string; from: From | undefined } | undefined;
}
/** Why a packet does not arrive. */
export interface Stop {
  at: string;
  why: string;
  /** `unknown`: what lies there is not declared, so nothing can be said; `dead`: it is dropped there. */
  sort: 'dead' | 'unknown';
  /** The least that would mend it, where the estate can. */
  edits: Edit[];
}
/** One direction. */
export interface Leg {
  hops: Hop[];
  stop: Stop | undefined;
  /** The largest packet that passes as a whole, in bytes; undefined: it goes nowhere. */
  mtu: number | undefined;
  /** Nobody is declared to have the address that it goes to. */
  nobody: boolean;
}
export interface Trace {
  from: End;
  to: End;
  bytes: number;
  forward: Leg;
  back: Leg;
  /** It arrives, the answer comes back, and both carry a packet of that size. */
  works: boolean;
}
/** A packet is handed on so often at most (the TTL that most systems begin with, RFC 1700). */
const most = 64;
const within = (n: Network, address: string) => holds(prefixRange(parsePrefix(n.prefix)), parseIp(address));

/** The path between two ends, there and back, for a packet of so many bytes. */
export function trace(reach: Reach, from: End, to: End, bytes = 1500): Trace {
  const forward = leg(reach, from, to);
  const back = leg(reach, to, from);
  const carries = (l: Leg) => !l.stop && (l.mtu ?? 0) >= bytes;
  return { from, to, bytes, forward, back, works: carries(forward) && carries(back) };
}

function leg(reach: Reach, from: End, to: End): Leg {
  const hops: Hop[] = [];
  const hop = (at: string, n: Network, next: string | undefined, chosen: Hop['chosen']) =>
    hops.push({ at, network: n.name, vlan: n.vlan, mtu: n.mtu, next, chosen });
  const end = (stop?: Stop): Leg => ({
    hops,
    stop,
    mtu: hops.length ? Math.min(...hops.map((h) => h.mtu)) : undefined,
    nobody: !stop && !to.any && reach.owner(to.network, to.address) === undefined,
  });
  const dead = (at: string, why: string, edits: Edit[] = []) => end({ at, why, sort: 'dead', edits });
  const own = reach.networks.get(from.network);
  if (!own) return dead(from.label, `no network ${from.network} is declared`);
  if (own.name === to.network) {
    hop(from.label, own, undefined, undefined);
    return end();
  }
  const first = reach.routers.get(own.name);
  if (!first) return dead(from.label, `${own.name} has no gateway: nothing leaves ${own.prefix}`);
  hop(from.label, own, first.address, {
    prefix: to.address.includes(':') ? '::/0' : '0.0.0.0/0',
    from: { network: own.name, path: ['gateway'] },
  });
  const seen = new Set<string>();
  let router: Router = first;
  for (let n = 0; n < most; n++) {
    const at = routerName(router);
    if (seen.has(router.network))
      return dead(at, 'the packet comes back to a router that it has passed: it goes round until it is dropped');
    seen.add(router.network);
    const chosen: Entry<Way> | undefined = router.table.longest(parseIp(to.address));
    if (!chosen) return dead(at, `it has no route to ${to.address}`, mendRoute(reach, router, to));
    const { prefix, value } = chosen;
    const by = { prefix: formatPrefix(prefix), from: value.from };
    if ('into' in value) {
      const network = reach.networks.get(value.into) as Network;
      // The way leads into a network of that prefix which is not the one that is meant.
      if (network.name !== to.network && within(network, to.address)) {
        hop(at, network, undefined, by);
        return dead(at, `it hands what is for ${to.address} over in ${network.name}, and ${to.label} is in ${to.network}`);
      }
      if (!reach.routers.has(network.name)) return dead(at, `${network.name} has no gateway: no router has an address in it`);
      hop(at, network, undefined, by);
      return end();
    }
    const travels = reach.networks.get(router.network) as Network;
    hop(at, travels, value.via, by);
    if (!within(travels, value.via)) return dead(at, `its next hop ${value.via} does not lie in ${travels.name}`);
    const own = reach.networks.get(router.network)?.site;
    const others = reach.routersAt(value.via).filter((r) => r.network !== travels.name);
    const next = others.find((r) => reach.networks.get(r.network)?.site === own) ?? others[0];
    if (!next)
      return end({
        at: reach.owner(travels.name, value.via) ?? value.via,
        why: `what ${value.via} does with it is not declared`,
        sort: 'unknown',
        edits: [],
      });
    router = next;
  }
  return dead(from.label, `it is handed on more than ${most} times`);
}

export const routerName = (r: Pick<Router, 'network' | 'address'>): string => `router of ${r.network}`;

/** The one route that is lacking: into the network of the receiver, where it is declared. */
function mendRoute(reach: Reach, router: Router, to: End): Edit[] {
  const own = reach.networks.get(router.network);
  if (!own || !reach.networks.has(to.network)) return [];
  return [{ op: 'set', kind: 'Network', key: own.name, path: ['routesTo'], value: [...own.routesTo, to.network] }];
}
