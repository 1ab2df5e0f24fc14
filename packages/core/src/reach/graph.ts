import { formatIp, isIp, parseIp, parsePrefix } from '../address/parse.ts';
import type { Network } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import { PrefixTrie } from './prefix-trie.ts';

/** The field of a document that a route comes from. */
export interface From {
  network: string;
  path: (string | number)[];
}
/** What a router does with a packet: it hands it over in a network that it has an address in, or to a next hop in its own. */
export type Way = { from: From } & ({ into: string } | { via: string });
/** The router of a network: the machine at its gateway address, as far as it is declared. */
export interface Router {
  network: string;
  address: string;
  table: PrefixTrie<Way>;
}
/** Who reaches whom, as declared: networks with their routers, and where addresses lie. */
export interface Reach {
  networks: ReadonlyMap<string, Network>;
  /** By network; one without a gateway has none. */
  routers: ReadonlyMap<string, Router>;
  /** Routers at an address: sites may use one for each of them. */
  routersAt: (address: string) => readonly Router[];
  /** Networks that an address lies in, the smallest first: sites may use one prefix each for itself. */
  at: (address: string) => Network[];
  /** Who has an address in a network; undefined: nobody is declared. */
  owner: (network: string, address: string) => string | undefined;
}

/** An address as it is compared: IPv6 can be written in several ways. */
const plain = (address: string): string => formatIp(parseIp(address));
const graphs = new WeakMap<Estate, Reach>();

/** The graph of an estate, computed once. */
export function graphOf(estate: Estate): Reach {
  const known = graphs.get(estate);
  if (known) return known;
  const networks = new Map(estate.networks.map((n) => [n.name, n]));
  const places = new PrefixTrie<Network[]>();
  for (const n of estate.networks) {
    const prefix = parsePrefix(n.prefix);
    places.set(prefix, [...(places.get(prefix) ?? []), n]);
  }
  const routers = new Map<string, Router>();
  for (const n of estate.networks)
    if (n.gateway) routers.set(n.name, { network: n.name, address: n.gateway, table: tableOf(n, networks) });
  const byAddress = new Map<string, Router[]>();
  for (const r of routers.values()) byAddress.set(plain(r.address), [...(byAddress.get(plain(r.address)) ?? []), r]);
  const owners = new Map<string, string>();
  const key = (network: string, address: string) => `${network} ${plain(address)}`;
  for (const r of estate.reservations)
    if (!r.resting && isIp(r.address)) owners.set(key(r.network, r.address), r.name ?? r.owner.name);
  const reach: Reach = {
    networks,
    routers,
    routersAt: (address) => byAddress.get(plain(address)) ?? [],
    at: (address) => places.over(parseIp(address)).flatMap((e) => e.value),
    owner: (network, address) => owners.get(key(network, address)),
  };
  graphs.set(estate, reach);
  return reach;
}

/** What the router of a network knows: its own network, those that the network routes to, and static routes. Of two ways to one prefix a static one goes first. */
function tableOf(n: Network, networks: ReadonlyMap<string, Network>): PrefixTrie<Way> {
  const table = new PrefixTrie<Way>();
  for (const [i, name] of n.routesTo.entries()) {
    const other = networks.get(name);
    if (other) table.set(parsePrefix(other.prefix), { into: name, from: { network: n.name, path: ['routesTo', i] } });
  }
  for (const [i, r] of n.routes.entries())
    table.set(parsePrefix(r.to), { via: r.via, from: { network: n.name, path: ['routes', i] } });
  return table.set(parsePrefix(n.prefix), { into: n.name, from: { network: n.name, path: ['prefix'] } });
}
