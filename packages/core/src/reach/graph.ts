import {
  type Address,
  formatIp,
  formatPrefix,
  holds,
  isIp,
  parseIp,
  parsePrefix,
  parseRange,
  type Prefix,
  prefixRange,
  type Range,
} from '../address/parse.ts';
import { absoluteName } from '../naming/names.ts';
import type { Charter, Gateway, Network } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import type { TrafficRule } from '../model/gateway.ts';
import { PrefixTrie } from './prefix-trie.ts';

/** The field of a document that a route or a rule comes from. */
export interface From {
  kind: 'Network' | 'Gateway' | 'Charter';
  name: string;
  path: (string | number)[];
}
/** What a router does with a packet: it hands it over in a network that it has an address in, to a next hop in one of those, or to a node that has told it of the address. */
export type Way = { from: From } & ({ into: string } | { via: string } | { nodesOf: string });
export interface Interface {
  network: string;
  address: string;
  mtu: number;
}
/** Who sends packets on: a member of a declared gateway, or the machine at the gateway address of a network of which nothing else is said. */
export interface Router {
  name: string;
  site: string;
  /** The declared gateway that it is one of, and its place among the members. */
  gateway?: { name: string; member: number; of: number };
  interfaces: readonly Interface[];
  table: PrefixTrie<Way>;
  rules: readonly TrafficRule[];
  /** Where its rules stand. */
  ruled: From;
  nat: Gateway['nat'];
}
/** Who has each moving address of a gateway, by gateway, in place of who would: the name of a member. */
export type Leads = ReadonlyMap<string, string>;
/** Addresses of published services of a cluster. */
export interface ServicePool {
  charter: Charter;
  range: Range;
}
/** What nodes of a cluster ask for what is outside: where it is, and what they ask for themselves all the same. */
export interface ProxyAt {
  charter: string;
  url: string;
  /** Undefined: its name leads nowhere that is declared. */
  address: string | undefined;
  port: number;
  except: readonly string[];
}
/** Who reaches whom, as declared: networks with their routers, and where addresses lie. */
export interface Reach {
  networks: ReadonlyMap<string, Network>;
  gateways: ReadonlyMap<string, Gateway>;
  routers: readonly Router[];
  /** Who is at an address of a network: several where it moves between them, who leads first. */
  at: (network: string, address: string, leads?: Leads) => readonly Router[];
  /** Routers at the gateway address of a network, who leads first; none: nothing leaves it. */
  of: (network: string, leads?: Leads) => readonly Router[];
  /** Routers that have an address in a network. */
  in: (network: string) => readonly Router[];
  /** Networks that an address lies in, the smallest first: sites may use one prefix each for itself. */
  around: (address: string) => Network[];
  /** Who has an address in a network; undefined: nobody is declared. */
  owner: (network: string, address: string) => string | undefined;
  /** Routers that give an address out as the source of what they send on. */
  translating: (network: string, address: string) => readonly Router[];
  /** Pools of published services that an address lies in, of a site first. */
  pools: readonly ServicePool[];
  /** Clusters by the range that their pods have addresses of. */
  pods: PrefixTrie<Charter[]>;
  /** By cluster. */
  proxies: ReadonlyMap<string, ProxyAt>;
}

/** An address as it is compared: IPv6 can be written in several ways. */
const plain = (address: string): string => (address.includes(':') ? formatIp(parseIp(address)) : address);
const key = (network: string, address: string) => `${network} ${plain(address)}`;
const graphs = new WeakMap<Estate, Reach>();

/** The graph of an estate, computed once. */
export function graphOf(estate: Estate): Reach {
  const known = graphs.get(estate);
  if (known) return known;
  const networks = new Map(estate.networks.map((n) => [n.name, n]));
  const gateways = new Map(estate.gateways.map((g) => [g.name, g]));
  const places = new PrefixTrie<Network[]>();
  for (const n of estate.networks) put(places, n.prefix, n);
  const routers: Router[] = [];
  const holders = new Map<string, Router[]>();
  const within = new Map<string, Router[]>();
  const translators = new Map<string, Router[]>();
  const add = <K>(map: Map<K, Router[]>, at: K, r: Router) => {
    const list = map.get(at);
    if (!list) map.set(at, [r]);
    else if (!list.includes(r)) list.push(r);
  };
  const peers = announcedTo(estate);
  for (const g of estate.gateways)
    for (const [i, m] of g.members.entries()) {
      const r = memberOf(g, i, networks, peers);
      routers.push(r);
      for (const f of m.interfaces) {
        add(holders, key(f.network, f.address), r);
        add(within, f.network, r);
        for (const n of g.nat) if (inside(networks.get(f.network), n.to)) add(translators, key(f.network, n.to), r);
      }
      for (const a of g.addresses)
        if (m.interfaces.some((f) => f.network === a.network)) add(holders, key(a.network, a.address), r);
    }
  /** Networks whose router is one that is not declared of itself. */
  const alone = new Map<string, Router>();
  for (const n of estate.networks)
    if (n.gateway && !holders.has(key(n.name, n.gateway))) {
      const r = routerOf(n, networks, peers);
      routers.push(r);
      alone.set(n.name, r);
      add(within, n.name, r);
      add(holders, key(n.name, n.gateway), r);
    }
  // A router of which one address alone is declared is met at it wherever it is spoken to: sites may use one address each for it.
  const elsewhere = new Map<string, Router[]>();
  for (const r of alone.values()) add(elsewhere, plain(r.interfaces[0]?.address ?? ''), r);
  // Read when somebody asks: whoever only wants ways does not depend on every reservation.
  let held: Map<string, string> | undefined;
  const owners = () => {
    held ??= new Map(
      estate.reservations.flatMap((r) =>
        !r.resting && isIp(r.address) ? [[key(r.network, r.address), r.name ?? r.owner.name] as const] : [],
      ),
    );
    return held;
  };
  const leading = (list: readonly Router[], network: string, address: string, leads?: Leads): readonly Router[] =>
    list.length < 2
      ? list
      : [...list].sort((a, b) => rank(b, gateways, network, address, leads) - rank(a, gateways, network, address, leads));
  const at: Reach['at'] = (network, address, leads) => {
    const here = holders.get(key(network, address));
    if (here) return leading(here, network, plain(address), leads);
    const site = networks.get(network)?.site;
    const others = (elsewhere.get(plain(address)) ?? []).filter((r) => r.interfaces[0]?.network !== network);
    const own = others.filter((r) => r.site === site);
    return own.length ? own : others;
  };
  const pods = new PrefixTrie<Charter[]>();
  for (const c of estate.charters) for (const range of [c.pods.range, c.second?.pods]) if (range) put(pods, range, c);
  const reach: Reach = {
    networks,
    gateways,
    routers,
    at,
    of: (network, leads) => {
      const n = networks.get(network);
      return n?.gateway ? at(network, n.gateway, leads) : [];
    },
    in: (network) => within.get(network) ?? [],
    around: (address) => places.over(parseIp(address)).flatMap((e) => e.value),
    owner: (network, address) => owners().get(key(network, address)) ?? holders.get(key(network, address))?.[0]?.name,
    translating: (network, address) => translators.get(key(network, address)) ?? [],
    pools: estate.charters.flatMap((c) => (c.servicePool ? [{ charter: c, range: parseRange(c.servicePool.range) }] : [])),
    pods,
    proxies: new Map(estate.charters.flatMap((c) => proxyOf(c, estate))),
  };
  graphs.set(estate, reach);
  return reach;
}

function proxyOf({ name, proxy }: Charter, estate: Estate): [string, ProxyAt][] {
  if (!proxy) return [];
  const { hostname, port, protocol } = new URL(proxy.url);
  const bare = hostname.replace(/^\[|\]$/g, '');
  const records = () => estate.records.find((r) => /^A(AAA)?$/.test(r.type) && absoluteName(r.name, r.zone) === bare)?.value;
  const address = isIp(bare) ? bare : (estate.reservations.find((r) => !r.resting && r.name === bare)?.address ?? records());
  return [
    [
      name,
      {
        charter: name,
        url: proxy.url,
        address,
        port: Number(port) || (protocol === 'https:' ? 443 : 80),
        except: proxy.except ?? [],
      },
    ],
  ];
}

function put<T>(trie: PrefixTrie<T[]>, text: string, value: T): void {
  const prefix = parsePrefix(text);
  trie.set(prefix, [...(trie.get(prefix) ?? []), value]);
}
/** Whether an address lies in a network. */
export const inside = (n: Network | undefined, address: string): boolean =>
  n !== undefined && holds(rangeOf(n), addressOf(address));
/** Addresses and prefixes as they were read and written last: paths of one estate ask for the same ones again and again. */
const read = new Map<string, Address>();
export function addressOf(text: string): Address {
  let address = read.get(text);
  if (!address) {
    if (read.size > 20_000) read.clear();
    address = parseIp(text);
    read.set(text, address);
  }
  return address;
}
const texts = new WeakMap<Prefix, string>();
export function prefixText(prefix: Prefix): string {
  let text = texts.get(prefix);
  if (text === undefined) {
    text = formatPrefix(prefix);
    texts.set(prefix, text);
  }
  return text;
}
/** Read once a network: paths ask for it at every step. */
const ranges = new WeakMap<Network, Range>();
function rangeOf(n: Network): Range {
  let range = ranges.get(n);
  if (!range) {
    range = prefixRange(parsePrefix(n.prefix));
    ranges.set(n, range);
  }
  return range;
}

/** By who goes before whom at an address: who was named to lead, who is declared to, the higher priority. */
function rank(r: Router, gateways: ReadonlyMap<string, Gateway>, network: string, address: string, leads?: Leads): number {
  const g = r.gateway && gateways.get(r.gateway.name);
  const m = g?.members[r.gateway?.member ?? 0];
  if (!g || !m) return 0;
  if (leads?.get(g.name) === m.name) return 1000;
  if (g.addresses.some((a) => a.network === network && a.address === address && a.leads === m.name)) return 500;
  return m.priority;
}

/** Clusters that tell routers of their service addresses by BGP, by the address of the router and the AS number that they know it by. */
function announcedTo(estate: Estate): ReadonlyMap<string, { charter: Charter; peer: number }[]> {
  const out = new Map<string, { charter: Charter; peer: number }[]>();
  for (const charter of estate.charters)
    if (charter.servicePool?.announce === 'bgp')
      for (const [peer, p] of (charter.servicePool.peers ?? []).entries())
        out.set(plain(p.address), [...(out.get(plain(p.address)) ?? []), { charter, peer }]);
  return out;
}
type Peers = ReturnType<typeof announcedTo>;

/** What a router has learnt of service addresses from nodes: less than what is declared, and what it has an interface in. */
function learn(table: PrefixTrie<Way>, addresses: readonly string[], peers: Peers, as?: number): void {
  for (const a of addresses)
    for (const { charter, peer } of peers.get(plain(a)) ?? []) {
      const pool = charter.servicePool;
      if (!pool || (as !== undefined && pool.peers?.[peer]?.as !== as)) continue;
      for (const p of coverOf(parseRange(pool.range)))
        table.set(p, {
          nodesOf: charter.name,
          from: { kind: 'Charter', name: charter.name, path: ['servicePool', 'peers', peer] },
        });
    }
}

/** A member of a gateway: what it has learnt, the routes of all of them, its own, and the networks that it stands in. What comes later goes before at one prefix. */
function memberOf(g: Gateway, i: number, networks: ReadonlyMap<string, Network>, peers: Peers): Router {
  const m = g.members[i] as Gateway['members'][number];
  const table = new PrefixTrie<Way>();
  const from = (...path: (string | number)[]): From => ({ kind: 'Gateway', name: g.name, path });
  if (g.bgp)
    learn(
      table,
      m.interfaces.map((f) => f.address),
      peers,
      m.as ?? g.bgp.as,
    );
  for (const [k, r] of g.routes.entries()) table.set(parsePrefix(r.to), { via: r.via, from: from('routes', k) });
  for (const [k, r] of m.routes.entries()) table.set(parsePrefix(r.to), { via: r.via, from: from('members', i, 'routes', k) });
  for (const [k, f] of m.interfaces.entries()) {
    const n = networks.get(f.network);
    if (n) table.set(parsePrefix(n.prefix), { into: n.name, from: from('members', i, 'interfaces', k) });
  }
  return {
    name: m.name,
    site: g.site,
    gateway: { name: g.name, member: i, of: g.members.length },
    interfaces: m.interfaces.map((f) => ({
      network: f.network,
      address: f.address,
      mtu: f.mtu ?? networks.get(f.network)?.mtu ?? 1500,
    })),
    table,
    rules: g.rules,
    ruled: from('rules'),
    nat: g.nat,
  };
}

/** What the router of a network knows: its own network, those that the network routes to, and static routes. Of two ways to one prefix a static one goes first. */
function routerOf(n: Network, networks: ReadonlyMap<string, Network>, peers: Peers): Router {
  const table = new PrefixTrie<Way>();
  const from = (...path: (string | number)[]): From => ({ kind: 'Network', name: n.name, path });
  learn(table, [n.gateway ?? ''], peers);
  for (const [i, name] of n.routesTo.entries()) {
    const other = networks.get(name);
    if (other) table.set(parsePrefix(other.prefix), { into: name, from: from('routesTo', i) });
  }
  for (const [i, r] of n.routes.entries()) table.set(parsePrefix(r.to), { via: r.via, from: from('routes', i) });
  table.set(parsePrefix(n.prefix), { into: n.name, from: from('prefix') });
  return {
    name: `router of ${n.name}`,
    site: n.site,
    interfaces: [{ network: n.name, address: n.gateway ?? '', mtu: n.mtu }],
    table,
    rules: n.rules ?? [],
    ruled: from('rules'),
    nat: [],
  };
}

/** The fewest prefixes that are a range together (RFC 4632 §3.1), the first one first. */
export function coverOf(r: Range): { v: 4 | 6; n: bigint; length: number }[] {
  const all = r.v === 4 ? 32 : 128;
  const out: { v: 4 | 6; n: bigint; length: number }[] = [];
  for (let at = r.first; at <= r.last; ) {
    let host = 0;
    while (host < all && (at & (1n << BigInt(host))) === 0n && at + (1n << BigInt(host + 1)) - 1n <= r.last) host++;
    out.push({ v: r.v, n: at, length: all - host });
    at += 1n << BigInt(host);
  }
  return out;
}
