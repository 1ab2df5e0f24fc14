import { holds, isIp, parseIp, parsePrefix, parseRange, prefixRange } from '../address/parse.ts';
import { overhead } from '../charter/arithmetic.ts';
import type { OverlayKind } from '../model/charter.ts';
import type { Edit } from '../model/edit.ts';
import type { Network } from '../model/documents.ts';
import {
  addressOf,
  type From,
  inside,
  prefixText,
  type Leads,
  type ProxyAt,
  type Reach,
  type Router,
  type Way,
} from './graph.ts';
import { editsOf, lackingRoutes, lackingRule, type Lacking } from './mend.ts';
import type { Entry } from './prefix-trie.ts';
import { type Packet, ruleFor, ruleText } from './rules.ts';

/** One end of a path: an address in a network, and whose it is. */
export interface End {
  label: string;
  address: string;
  network: string;
  /** Any of its network, and nobody's in particular. */
  any?: true;
  /** What a cluster answers for: one of its service addresses, a port of its nodes, or a pod behind none. */
  cluster?: Inside;
  /** The port that it is about, where nobody asks for another. */
  port?: { number: number; protocol: 'tcp' | 'udp' };
  /** What it asks for what is outside. */
  proxy?: ProxyAt;
}
/** What lies inside of a cluster: how its packets travel between the nodes, and how large they may be there. */
export interface Inside {
  charter: string;
  is: 'service' | 'node-port' | 'pod';
  overlay: OverlayKind;
  /** The largest packet of a pod, in bytes. */
  mtu: number;
  /** Gbit/s of the slowest link among nodes that can answer; undefined: not known. */
  gbit?: number | undefined;
  /** One node answers, or several share it: by ARP and NDP, or by BGP. */
  announce: 'arp' | 'bgp';
  nodes: number;
  /** The network that the nodes are in, and the address of one of them: what pods send outside leaves with it. */
  network: string;
  node: string;
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
  /** What it travels inside of: how large it may be in there, and how much the link outside leaves for it. */
  inside?: { kind: OverlayKind; mtu: number; room: number };
  /** An address that whoever sends it on has put in place of another. */
  nat?: { of: 'source' | 'destination'; before: string; after: string };
  /** Gbit/s of the link, where it is known. */
  gbit?: number;
  /** What is worth saying of it. */
  note?: string;
}
/** Why a packet does not arrive. */
export interface Stop {
  at: string;
  why: string;
  /** `unknown`: what lies there is not declared, so nothing can be said; `dead`: it is dropped there. */
  sort: 'dead' | 'unknown';
  /** The least that would mend it, where the estate can: in words, and as edits. */
  lacking: string[];
  edits: Edit[];
}
/** One direction. */
export interface Leg {
  hops: Hop[];
  stop: Stop | undefined;
  /** The largest packet that passes as a whole, in bytes; undefined: it goes nowhere. */
  mtu: number | undefined;
  /** Gbit/s of the narrowest link that is known. */
  gbit: number | undefined;
  /** Nobody is declared to have the address that it goes to. */
  nobody: boolean;
}
/** What becomes of the path while another member of a gateway leads. */
export interface While {
  gateway: string;
  member: string;
  works: boolean;
  stop: (Stop & { leg: 'forward' | 'back' }) | undefined;
}
export interface Trace {
  from: End;
  to: End;
  bytes: number;
  forward: Leg;
  back: Leg;
  /** It arrives, the answer comes back, and both carry a packet of that size. */
  works: boolean;
  /** The answer goes over other routers than the question. */
  asymmetric: boolean;
  /** For each gateway of several members that the path goes over: what it is while each of the others leads. */
  whileLeading: While[];
  /** The least that would mend it in both directions and whoever leads. */
  edits: Edit[];
}
export interface Asked {
  bytes?: number | undefined;
  protocol?: Packet['protocol'];
  port?: number | undefined;
}
/** A packet is handed on so often at most (the TTL that most systems begin with, RFC 1700). */
const most = 64;

/** The path between two ends, there and back, for a packet of so many bytes. */
export function trace(reach: Reach, from: End, to: End, asked: number | Asked = {}): Trace {
  const { cluster } = from;
  // What a pod sends to others than pods of its own leaves with the address of its node.
  const own = to.cluster?.is === 'pod' && to.cluster.charter === cluster?.charter;
  return traceAs(reach, cluster?.is === 'pod' && !own ? { ...from, address: cluster.node } : from, to, asked);
}

/** Both directions alone: whether there is a way, and not what would mend it or what it is while another leads. */
export function legsBetween(reach: Reach, from: End, to: End): { forward: Leg; back: Leg } {
  const packet: Packet = { source: from.address, destination: to.address };
  const there = leg(reach, from, to, packet, nobodyElse, [], false);
  const back = leg(reach, to, from, { source: to.address, destination: there.source }, nobodyElse, there.routers, false);
  return { forward: there.leg, back: back.leg };
}
const nobodyElse: Leads = new Map();

function traceAs(reach: Reach, from: End, to: End, asked: number | Asked): Trace {
  const { bytes = 1500, protocol, port = to.port?.number }: Asked = typeof asked === 'number' ? { bytes: asked } : asked;
  const packet: Packet = {
    source: from.address,
    destination: to.address,
    protocol: protocol ?? (port && port === to.port?.number ? to.port.protocol : port ? 'tcp' : undefined),
    port,
  };
  const both = (leads: Leads) => {
    const there =
      from.proxy && asksProxy(from.proxy, to)
        ? overProxy(reach, from, from.proxy, to, packet, leads)
        : leg(reach, from, to, packet, leads, []);
    // An answer goes to the port that the question came from: rules about ports that are asked say nothing of it.
    const answer = { source: to.address, destination: there.source, protocol: packet.protocol };
    const back = leg(reach, to, from, answer, leads, there.routers);
    const carries = (l: Leg) => !l.stop && (l.mtu ?? 0) >= bytes;
    return { there, back, works: carries(there.leg) && carries(back.leg) };
  };
  const usual = both(new Map());
  const met = [...usual.there.routers, ...usual.back.routers];
  const lacking = [...usual.there.lacking, ...usual.back.lacking];
  const whileLeading: While[] = [];
  for (const name of new Set(met.flatMap((r) => (r.gateway && r.gateway.of > 1 ? [r.gateway.name] : [])))) {
    const gateway = reach.gateways.get(name);
    const [moving] = gateway?.addresses ?? [];
    if (!gateway || !moving) continue;
    const leader = reach.at(moving.network, moving.address)[0]?.name;
    for (const { name: member } of gateway.members) {
      if (member === leader) continue;
      const now = both(new Map([[name, member]]));
      const [stop, at] = now.there.leg.stop ? [now.there.leg.stop, 'forward' as const] : [now.back.leg.stop, 'back' as const];
      whileLeading.push({ gateway: name, member, works: now.works, stop: stop ? { ...stop, leg: at } : undefined });
      lacking.push(...now.there.lacking, ...now.back.lacking);
    }
  }
  const way = (list: readonly Router[]) => list.map((r) => r.name).join(' ');
  return {
    from,
    to,
    bytes,
    forward: usual.there.leg,
    back: usual.back.leg,
    works: usual.works,
    asymmetric:
      !usual.there.leg.stop &&
      !usual.back.leg.stop &&
      onlyDeclared(way(usual.there.routers), way([...usual.back.routers].reverse()), met),
    whileLeading,
    edits: editsOf(lacking),
  };
}
/** Routers of which one address alone is declared may be one machine at several: of those nothing can be said. */
const onlyDeclared = (there: string, back: string, met: readonly Router[]) => there !== back && met.every((r) => r.gateway);

interface Walked {
  leg: Leg;
  routers: Router[];
  lacking: Lacking[];
  /** The source that it arrives with. */
  source: string;
}

/** One direction while it is walked: what was passed, and the packet as it is there. */
class Walk {
  readonly hops: Hop[] = [];
  readonly routers: Router[] = [];
  constructor(
    private readonly reach: Reach,
    private readonly to: End,
    public packet: Packet,
  ) {}

  hop(at: string, n: Network, mtu: number, next: string | undefined, chosen: Hop['chosen'], more: Partial<Hop> = {}): void {
    this.hops.push({ at, network: n.name, vlan: n.vlan, mtu: Math.min(mtu, n.mtu), next, chosen, ...more });
  }

  end(stop?: Omit<Stop, 'edits' | 'lacking'>, lacking: Lacking[] = []): Walked {
    const { hops, routers, packet, to } = this;
    const sizes = hops.map((h) => (h.inside ? Math.min(h.inside.mtu, h.inside.room) : h.mtu));
    const links = hops.flatMap((h) => h.gbit ?? []);
    return {
      leg: {
        hops,
        stop: stop && { ...stop, lacking: lacking.map((l) => l.text), edits: editsOf(lacking) },
        mtu: sizes.length ? Math.min(...sizes) : undefined,
        gbit: links.length ? Math.min(...links) : undefined,
        nobody:
          !stop &&
          !to.any &&
          !to.cluster &&
          packet.destination === to.address &&
          this.reach.owner(to.network, to.address) === undefined,
      },
      routers,
      lacking,
      source: packet.source,
    };
  }

  dead(at: string, why: string, lacking: Lacking[] = []): Walked {
    return this.end({ at, why, sort: 'dead' }, lacking);
  }

  /** At its end: inside of a cluster it goes on to the pod, on whichever node that is. */
  arrived(): Walked {
    const { to } = this;
    const c = to.cluster;
    const n = c && this.reach.networks.get(c.network);
    if (c && n)
      this.hop(c.is === 'pod' ? `node of ${c.charter}` : answering(c), n, n.mtu, undefined, undefined, {
        ...(c.overlay === 'none'
          ? {}
          : { inside: { kind: c.overlay, mtu: c.mtu, room: n.mtu - overhead(c.overlay, parsePrefix(n.prefix).v) } }),
        ...(c.is === 'pod'
          ? {}
          : {
              nat: {
                of: 'destination' as const,
                before: to.port ? `${to.address} port ${to.port.number}` : to.address,
                after: 'the pod',
              },
            }),
        ...(c.gbit ? { gbit: c.gbit } : {}),
        note: 'to the node of the pod, where it is another one',
      });
    return this.end();
  }

  /** Somebody asks for a service address on a link, and who has told routers of it does not answer there. */
  inVain(at: string, c: Inside): Walked {
    return this.dead(
      at,
      `it asks for ${this.to.address} on the link, and nodes of ${c.charter} answer none: they tell routers by BGP`,
    );
  }

  /** The source as it leaves a router in a network. */
  translate(router: Router, network: string): Hop['nat'] {
    const { packet } = this;
    const t = router.nat.find((x) => (!x.out || x.out === network) && sourceIn(x.from, packet.source));
    if (!t) return undefined;
    this.packet = { ...packet, source: t.to };
    return { of: 'source', before: packet.source, after: t.to };
  }
}

/** What a router puts in place of an address when it sends on: the one that was given back to it, or a source of its own list. An answer is not translated anew. */
function natOf(w: Walk, router: Router, network: string, back: Hop['nat'], answers: readonly Router[]): Partial<Hop> {
  const nat = back ?? (answers.length ? undefined : w.translate(router, network));
  return nat ? { nat } : {};
}

function leg(reach: Reach, from: End, to: End, asked: Packet, leads: Leads, answers: readonly Router[], mends = true): Walked {
  const w = new Walk(reach, to, asked);
  const own = reach.networks.get(from.network);
  if (!own)
    return from.network
      ? w.dead(from.label, `no network ${from.network} is declared`)
      : w.end({ at: from.label, why: 'what lies outside is not declared', sort: 'unknown' });
  const leaving: Partial<Hop> = from.cluster ? leavingCluster(from.cluster) : {};
  if (to.cluster?.is === 'pod' && to.address !== to.cluster.node) {
    if (from.cluster?.charter !== to.cluster.charter)
      return w.dead(
        from.label,
        `addresses of pods of ${to.cluster.charter} are known to its own nodes alone: publish what is to be reached as a service`,
      );
    return w.arrived();
  }
  /** What is told to routers alone is asked for in vain: nobody answers by ARP or NDP. */
  const unheard = to.cluster?.is === 'service' && to.cluster.announce === 'bgp' ? to.cluster : undefined;
  if (own.name === to.network && inside(own, w.packet.destination)) {
    w.hop(from.label, own, own.mtu, undefined, undefined, leaving);
    return unheard ? w.inVain(from.label, unheard) : w.arrived();
  }
  const first = firstHop(reach, own, from, w.packet, leads);
  if ('why' in first) return w.dead(from.label, first.why);
  w.hop(from.label, own, own.mtu, first.address, { prefix: first.prefix, from: first.from }, leaving);
  if (!first.router)
    return w.end({
      at: reach.owner(own.name, first.address) ?? first.address,
      why: `what ${first.address} does with it is not declared`,
      sort: 'unknown',
    });
  const seen = new Set<Router>();
  let router: Router = first.router;
  let came = own.name;
  for (let n = 0; n < most; n++) {
    if (seen.has(router))
      return w.dead(router.name, 'the packet comes back to a router that it has passed: it goes round until it is dropped');
    seen.add(router);
    w.routers.push(router);
    const back = answers.length > 0 ? translatedBack(reach, router, came, w.packet, to, answers) : undefined;
    if (back && 'why' in back) return w.dead(router.name, back.why);
    let nat: Hop['nat'];
    if (back) {
      nat = { of: 'destination', before: w.packet.destination, after: back.to };
      w.packet = { ...w.packet, destination: back.to };
    }
    if (!answers.includes(router)) {
      const hit = ruleFor(router.rules, w.packet);
      if (hit?.rule.do === 'deny')
        return w.dead(
          router.name,
          answers.length
            ? `rule ${hit.at + 1} stops the answer (${ruleText(hit.rule)}): the question went another way, so it is no answer here`
            : `rule ${hit.at + 1} stops it: ${ruleText(hit.rule)}`,
          mends ? lackingRule(reach, router, w.packet, from, to, hit.at) : [],
        );
    }
    const chosen: Entry<Way> | undefined = router.table.longest(addressOf(w.packet.destination));
    if (!chosen) {
      // What is given back to a router that translates is brought to it, not to whoever asked.
      const goal = w.packet.destination === to.address ? to : endAt(reach, w.packet.destination, to);
      return w.dead(
        router.name,
        `it has no route to ${w.packet.destination}`,
        mends ? lackingRoutes(reach, router, goal, leads) : [],
      );
    }
    const { prefix, value } = chosen;
    const by = { prefix: prefixText(prefix), from: value.from };
    if ('nodesOf' in value) {
      const n = to.cluster ? reach.networks.get(to.cluster.network) : undefined;
      const face = router.interfaces.find((f) => f.network === n?.name) ?? router.interfaces[0];
      if (!n || !face) return w.dead(router.name, `no node of ${value.nodesOf} lies in a network that it has an address in`);
      w.hop(
        router.name,
        n,
        face.mtu,
        to.cluster ? answering(to.cluster) : `node of ${value.nodesOf}`,
        by,
        natOf(w, router, n.name, nat, answers),
      );
      return w.arrived();
    }
    if ('into' in value) {
      const network = reach.networks.get(value.into) as Network;
      const mtu = router.interfaces.find((f) => f.network === network.name)?.mtu ?? network.mtu;
      // What is given to a translated address is taken by whoever translates it.
      const [holder] = w.packet.destination === to.address ? [] : reach.translating(network.name, w.packet.destination);
      if (holder) {
        const next: Router = answers.find((a) => reach.translating(network.name, w.packet.destination).includes(a)) ?? holder;
        if (next === router)
          return w.dead(router.name, `${w.packet.destination} is its own, and nothing waits for an answer there`);
        w.hop(router.name, network, mtu, w.packet.destination, by, natOf(w, router, network.name, nat, answers));
        came = network.name;
        router = next;
        continue;
      }
      // The way leads into a network of that prefix which is not the one that is meant.
      if (network.name !== to.network && inside(network, w.packet.destination)) {
        w.hop(router.name, network, mtu, undefined, by);
        return w.dead(
          router.name,
          `it hands what is for ${w.packet.destination} over in ${network.name}, and ${to.label} is in ${to.network}`,
        );
      }
      if (!router.gateway && !reach.of(network.name, leads).length)
        return w.dead(router.name, `${network.name} has no gateway: no router has an address in it`);
      if (unheard) {
        w.hop(router.name, network, mtu, undefined, by);
        return w.inVain(router.name, unheard);
      }
      const pool = to.cluster;
      w.hop(router.name, network, mtu, undefined, by, {
        ...natOf(w, router, network.name, nat, answers),
        ...(pool?.is === 'service' && pool.announce === 'arp' ? { note: `asks for ${to.address}: one host answers` } : {}),
        ...(pool?.gbit ? { gbit: pool.gbit } : {}),
      });
      return w.arrived();
    }
    const face = router.interfaces.find((f) => inside(reach.networks.get(f.network), value.via));
    const travels = reach.networks.get(face?.network ?? '');
    if (!face || !travels) {
      const [only] = router.interfaces;
      const on = reach.networks.get(only?.network ?? '');
      if (on && only) w.hop(router.name, on, only.mtu, value.via, by);
      return w.dead(
        router.name,
        router.gateway
          ? `its next hop ${value.via} lies in no network that it has an address in`
          : `its next hop ${value.via} does not lie in ${only?.network}`,
      );
    }
    w.hop(router.name, travels, face.mtu, value.via, by, natOf(w, router, travels.name, nat, answers));
    const next: Router | undefined = reach.at(travels.name, value.via, leads)[0];
    if (!next)
      return w.end({
        at: reach.owner(travels.name, value.via) ?? value.via,
        why: `what ${value.via} does with it is not declared`,
        sort: 'unknown',
      });
    came = travels.name;
    router = next;
  }
  return w.dead(from.label, `it is handed on more than ${most} times`);
}

const answering = (c: Inside): string =>
  c.is === 'node-port'
    ? `the node of ${c.charter} that is asked`
    : c.announce === 'bgp'
      ? `one of ${c.nodes} nodes of ${c.charter}`
      : `the node of ${c.charter} that answers`;
const leavingCluster = (c: Inside): Partial<Hop> => ({
  ...(c.gbit ? { gbit: c.gbit } : {}),
  ...(c.is === 'pod'
    ? { nat: { of: 'source' as const, before: 'the pod', after: c.node } }
    : {
        nat: {
          of: 'source' as const,
          before: 'the pod',
          after: c.is === 'service' ? 'the service address' : c.node || 'the node',
        },
        note: 'answers from the address that was asked',
      }),
});
const sourceIn = (prefix: string, address: string): boolean => holds(prefixRange(parsePrefix(prefix)), parseIp(address));

/** The end that an address is, in the network that it lies in. */
function endAt(reach: Reach, address: string, other: End): End {
  const [n] = reach.around(address);
  return { label: address, address, network: n?.name ?? other.network };
}

/** Whether an end is asked for over a proxy: it lies outside, and is no exception. */
const asksProxy = (proxy: ProxyAt, to: End): boolean =>
  to.network === '' &&
  !proxy.except.some((x) =>
    isIp(x.split('/')[0] ?? '') ? sourceIn(x.includes('/') ? x : `${x}/${x.includes(':') ? 128 : 32}`, to.address) : false,
  );

/** To the proxy, and from there on what it asks for itself: whoever asked it is not seen behind it. */
function overProxy(reach: Reach, from: End, proxy: ProxyAt, to: End, packet: Packet, leads: Leads): Walked {
  const nowhere = (why: string) => new Walk(reach, to, packet).end({ at: `proxy of ${proxy.charter}`, why, sort: 'unknown' });
  const { address } = proxy;
  if (!address) return nowhere(`${new URL(proxy.url).hostname} leads to no address that is declared`);
  const [n] = reach.around(address);
  if (!n) return nowhere(`${address} lies in no network that is declared`);
  const at: End = { label: `proxy of ${proxy.charter}`, address, network: n.name };
  const first = leg(reach, from, at, { ...packet, destination: address, protocol: 'tcp', port: proxy.port }, leads, []);
  if (first.leg.stop) return first;
  const then = leg(reach, at, to, { ...packet, source: address }, leads, []);
  const [asks, ...rest] = then.leg.hops;
  const told: Hop[] = asks
    ? [
        { ...asks, nat: { of: 'source', before: first.source, after: address }, note: 'asks for it itself: two connections' },
        ...rest,
      ]
    : rest;
  return {
    ...then,
    leg: { ...then.leg, hops: [...first.leg.hops, ...told] },
    routers: [...first.routers, ...then.routers],
    lacking: [...first.lacking, ...then.lacking],
  };
}

type First = { address: string; prefix: string; from: From; router: Router | undefined } | { why: string };
/** Where a machine sends what is not for its own network: a route that it was given with its address, else its gateway. */
function firstHop(reach: Reach, own: Network, from: End, packet: Packet, leads: Leads): First {
  const scope = own.dhcp.some((d) => d.routes?.length)
    ? own.dhcp.findIndex((d) => holds(parseRange(d.range), parseIp(from.address)))
    : -1;
  const given = own.dhcp[scope]?.routes ?? [];
  if (given.length) {
    const best = given
      .map((r, i) => ({ ...r, i, length: parsePrefix(r.to).length }))
      .filter((r) => sourceIn(r.to, packet.destination))
      .sort((a, b) => b.length - a.length)[0];
    // RFC 3442: who takes these routes leaves the gateway of the other option aside.
    if (!best)
      return {
        why: `it takes its routes from DHCP (option 121), and none of them leads to ${packet.destination}; the gateway is left aside then`,
      };
    return {
      address: best.via,
      prefix: best.to,
      from: { kind: 'Network', name: own.name, path: ['dhcp', scope, 'routes', best.i] },
      router: reach.at(own.name, best.via, leads)[0],
    };
  }
  const router = own.gateway ? reach.of(own.name, leads)[0] : undefined;
  if (!own.gateway || !router) return { why: `${own.name} has no gateway: nothing leaves ${own.prefix}` };
  return {
    address: own.gateway,
    prefix: packet.destination.includes(':') ? '::/0' : '0.0.0.0/0',
    from: { kind: 'Network', name: own.name, path: ['gateway'] },
    router,
  };
}

/** An answer to a translated source, at the router that has it: whoever did not translate the question knows nothing of it. */
function translatedBack(
  reach: Reach,
  router: Router,
  network: string,
  packet: Packet,
  to: End,
  answers: readonly Router[],
): { to: string } | { why: string } | undefined {
  if (packet.destination === to.address) return undefined;
  const mine =
    router.nat.some((n) => n.to === packet.destination) && reach.translating(network, packet.destination).includes(router);
  if (!mine) return undefined;
  if (!answers.includes(router))
    return { why: `${packet.destination} is translated by another member: it knows of no such connection` };
  return { to: to.address };
}
