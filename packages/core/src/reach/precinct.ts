import {
  carve,
  contains,
  formatIp,
  formatPrefix,
  formatRange,
  holds,
  overlaps,
  parseIp,
  parsePrefix,
  parseRange,
  type Prefix,
  prefixRange,
  type Range,
  size,
} from '../address/index.ts';
import { openIn } from '../ledger/open.ts';
import { type View, viewOf } from '../reading/index.ts';
import type { Charter, Gateway, Network } from '../model/documents.ts';
import type { Edit } from '../model/edit.ts';
import type { Estate } from '../model/estate.ts';
import { standsOn } from '../charter/stands-on.ts';

/** A cluster's own prefix, with what goes with it. */
export interface Precinct {
  network: string;
  parent: string;
  prefix: string;
  vlan: number | undefined;
  /** Who routes out of it, and with which address. */
  gateway: { name: string; address: string } | undefined;
  /** Addresses that what it sends leaves with, by the network that it leaves in. */
  outbound: { network: string; address: string }[];
  /** Addresses that its services are published at. */
  inbound: string | undefined;
  /** Addresses of pods, and how many each node has. */
  pods: { range: string; perNode: number };
}
export type Carved = { precinct: Precinct; edits: Edit[] } | { refused: string; remedy: string };

const rangeOf = (n: { prefix: string }) => prefixRange(parsePrefix(n.prefix));
const set = (kind: 'Gateway' | 'Network', key: string, path: (string | number)[], value: unknown): Edit => ({
  op: 'set',
  kind,
  key,
  path,
  value,
});

/** Networks of a site that precincts are carved out of. */
export const precinctParents = (estate: Estate, site: string): Network[] =>
  estate.networks.filter((n) => n.site === site && n.precincts);

/** The precinct that a cluster has; undefined: its machines stand in a network that others can stand in too. */
export function precinctOf(estate: Estate, charter: Charter): Precinct | undefined {
  const network = estate.networks.find((n) => n.precinct === charter.name);
  if (!network) return undefined;
  const gateway = estate.gateways.find((g) => facesIn(g, network.name).length > 0);
  return {
    network: network.name,
    parent: network.parent ?? '',
    prefix: network.prefix,
    vlan: network.vlan,
    gateway: gateway && { name: gateway.name, address: network.gateway ?? '' },
    outbound: (gateway?.nat ?? [])
      .filter((n) => n.from === network.prefix)
      .map((n) => ({ network: n.out ?? networkWith(estate, n.to) ?? '', address: n.to })),
    inbound: network.pools.find((p) => p.use === 'service')?.range,
    pods: { range: charter.pods.range, perNode: charter.pods.perNode },
  };
}

const facesIn = (g: Gateway, network: string) => g.members.filter((m) => m.interfaces.some((f) => f.network === network));
const networkWith = (estate: Estate, address: string): string | undefined =>
  estate.networks.find((n) => holds(rangeOf(n), parseIp(address)))?.name;

/**
 * Carves a precinct for a cluster that has no hosts yet: the next free prefix and VLAN, addresses for the gateway, for nodes and for what is
 * published, an outbound address in each network that it leaves in, and a pod range where these are carved too. The edits make all of it at
 * once, or none of it.
 *
 * @param from the network that precincts are carved out of
 */
export function carvePrecinct(estate: Estate, charter: Charter, from: string): Carved {
  const parent = estate.networks.find((n) => n.name === from);
  const asks = parent?.precincts;
  const no = (refused: string, remedy: string): Carved => ({ refused, remedy });
  if (!parent || !asks) return no(`No precincts are carved out of ${from}.`, 'Set its precincts, or choose another network.');
  if (parent.site !== charter.site)
    return no(`${from} is at another site than ${charter.name}.`, 'Choose a network of its site.');
  const has = estate.networks.find((n) => n.precinct === charter.name);
  if (has) return no(`${charter.name} has a precinct: ${has.name}.`, 'Give that one back first.');
  const stands = standsOn(estate, charter.name);
  if (stands) return no(`${stands.refused} A cluster does not move to another network.`, stands.remedy);
  const gateway = estate.gateways.find((g) => g.name === asks.gateway);
  if (!gateway) return no(`There is no gateway ${asks.gateway}, which routes for precincts of ${from}.`, 'Declare it.');

  const whole = parsePrefix(parent.prefix);
  const child = carve(whole, takenIn(viewOf(estate), parent), asks.length);
  if (!child) return no(`${from} has no free /${asks.length} left.`, 'Give precincts back, or make the network larger.');
  const vlan = freeVlan(viewOf(estate), parent, asks.vlans);
  if (vlan === undefined)
    return no(
      `VLANs ${asks.vlans.first} to ${asks.vlans.last} are all in use at the site.`,
      'Set more of them aside for precincts.',
    );
  const pods = asks.pods && freePods(estate, asks.pods, parent);
  if (asks.pods && !pods)
    return no(`${asks.pods.prefix} has no free /${asks.pods.length} for pods left.`, 'Give precincts back, or make it larger.');
  const name = freshName(estate, `${charter.name}-precinct`);
  const lay = layout(child, gateway.members.length);
  const text = (n: bigint) => formatIp({ v: child.v, n: lay.base + n });
  const run = (r: readonly [bigint, bigint]) => formatRange({ v: child.v, first: lay.base + r[0], last: lay.base + r[1] });
  const prefix = formatPrefix(child);

  const outbound: Precinct['outbound'] = [];
  for (const out of asks.outbound) {
    const n = estate.networks.find((x) => x.name === out);
    const members = facesIn(gateway, out);
    if (!n || !members.length)
      return no(`${gateway.name} has no address in ${out}, where precincts leave.`, 'Give a member an interface there.');
    const pool = n.pools.find((p) => p.use === 'outbound');
    const free = openIn(estate, n, 'outbound').nextFree({ kind: 'lowest' }, pool ? parseRange(pool.range) : undefined);
    if (!free)
      return no(`${out} has no free address for what leaves.`, `Set a pool for outbound NAT aside in ${out}, or make it larger.`);
    outbound.push({ network: out, address: formatIp(free) });
  }

  const alone = gateway.members.length === 1;
  const network: Network = {
    apiVersion: 'praesidor/v1',
    kind: 'Network',
    name,
    site: parent.site,
    purpose: 'machine',
    vlan,
    prefix,
    gateway: text(1n),
    mtu: parent.mtu,
    dhcp: [],
    pools: [
      { name: 'virtual', range: run(lay.virtual), use: 'virtual' },
      { name: 'nodes', range: run(lay.nodes), use: 'host' },
      { name: 'inbound', range: run(lay.inbound), use: 'service' },
    ],
    parent: parent.name,
    precinct: charter.name,
    routes: [],
    routesTo: [...parent.routesTo],
    ...(parent.resolvers ? { resolvers: parent.resolvers } : {}),
    ...(parent.ntp ? { ntp: parent.ntp } : {}),
  };
  const members = gateway.members.map((_, i) => text(alone ? 1n : 2n + BigInt(i)));
  const usedIds = new Map<string, Set<number>>();
  for (const a of gateway.addresses) usedIds.set(a.network, (usedIds.get(a.network) ?? new Set()).add(a.id));
  const id = (of: string): number => {
    const used = usedIds.get(of) ?? new Set<number>();
    let n = 1;
    while (used.has(n)) n++;
    usedIds.set(of, used.add(n));
    return n;
  };
  const edits: Edit[] = [
    { op: 'put', doc: network },
    ...backRoutes(estate, parent, name),
    ...gateway.members.map((m, i) =>
      set(
        'Gateway',
        gateway.name,
        ['members', i, 'interfaces'],
        [...m.interfaces, { network: name, address: members[i], name: `vlan${vlan}` }],
      ),
    ),
    set(
      'Gateway',
      gateway.name,
      ['addresses'],
      [
        ...gateway.addresses,
        ...(alone ? [] : [{ network: name, address: text(1n), id: id(name) }]),
        ...outbound.map((o) => ({ ...o, id: id(o.network) })),
      ],
    ),
    set(
      'Gateway',
      gateway.name,
      ['nat'],
      [...gateway.nat, ...outbound.map((o) => ({ from: prefix, to: o.address, out: o.network }))],
    ),
    { op: 'put', doc: inPrecinct(charter, gateway, network, members, pods && formatPrefix(pods)) },
  ];
  return {
    precinct: {
      network: name,
      parent: parent.name,
      prefix,
      vlan,
      gateway: { name: gateway.name, address: text(1n) },
      outbound,
      inbound: run(lay.inbound),
      pods: { range: pods ? formatPrefix(pods) : charter.pods.range, perNode: charter.pods.perNode },
    },
    edits,
  };
}

/** A charter that stands in its precinct: what was set for another network follows anew. */
function inPrecinct(
  charter: Charter,
  gateway: Gateway,
  network: Network,
  members: readonly string[],
  pods: string | undefined,
): Charter {
  const range = network.pools.find((p) => p.use === 'service')?.range ?? '';
  const { nodesFrom: _, ...rest } = charter;
  const { address: __, ...api } = charter.api;
  const { address: ___, ...inbound } = charter.inbound;
  const pool = charter.servicePool;
  const moved = (address: string): string => {
    const at = gateway.members.findIndex((m) => m.interfaces.some((f) => f.address === address));
    return members[at] ?? address;
  };
  return {
    ...rest,
    api,
    inbound,
    machineNetwork: network.name,
    pods: pods ? { ...charter.pods, range: pods } : charter.pods,
    servicePool: pool
      ? {
          ...pool,
          range,
          ...(pool.peers ? { peers: pool.peers.map((p) => ({ ...p, address: moved(p.address) })) } : {}),
          ...(pool.services ? { services: pool.services.map(({ address: ____, ...s }) => s) } : {}),
        }
      : { range, announce: 'arp' },
  };
}

/**
 * Gives the precinct of a cluster back: its network, the addresses of the gateway in it, and what it left with. The cluster goes with it, or stands in
 * another network by then.
 */
export function returnPrecinct(estate: Estate, charter: string): Edit[] {
  const network = estate.networks.find((n) => n.precinct === charter);
  if (!network) return [];
  return [
    ...estate.gateways.flatMap((g) => {
      const nat = g.nat.filter((n) => n.from === network.prefix);
      if (!nat.length && !facesIn(g, network.name).length) return [];
      const leaves = (a: Gateway['addresses'][number]) => a.network === network.name || nat.some((n) => n.to === a.address);
      return [
        ...g.members.map((m, i) =>
          set(
            'Gateway',
            g.name,
            ['members', i, 'interfaces'],
            m.interfaces.filter((f) => f.network !== network.name),
          ),
        ),
        set(
          'Gateway',
          g.name,
          ['addresses'],
          g.addresses.filter((a) => !leaves(a)),
        ),
        set(
          'Gateway',
          g.name,
          ['nat'],
          g.nat.filter((n) => !nat.includes(n)),
        ),
      ];
    }),
    ...estate.networks
      .filter((n) => n.routesTo.includes(network.name))
      .map((n) =>
        set(
          'Network',
          n.name,
          ['routesTo'],
          n.routesTo.filter((x) => x !== network.name),
        ),
      ),
    { op: 'drop', kind: 'Network', key: network.name },
  ];
}

/** How many more precincts a network has room for: by prefixes, and by VLANs. */
export function precinctsLeft(of: View | Estate, parent: Network): { prefixes: bigint; vlans: number } {
  const view = viewOf(of);
  const asks = parent.precincts;
  if (!asks) return { prefixes: 0n, vlans: 0 };
  const whole = parsePrefix(parent.prefix);
  const step = 1n << BigInt((whole.v === 4 ? 32 : 128) - asks.length);
  // Blocks that something lies in, as runs: a network can cover more of them than could be gone through.
  const { first, last } = prefixRange(whole);
  const runs = takenIn(view, parent)
    .map((r) => ({
      from: ((r.first > first ? r.first : first) - first) / step,
      to: ((r.last < last ? r.last : last) - first) / step,
    }))
    .sort((x, y) => (x.from < y.from ? -1 : 1));
  let inUse = 0n;
  let next = 0n;
  for (const { from, to } of runs) {
    if (to < next) continue;
    inUse += to - (from > next ? from : next) + 1n;
    next = to + 1n;
  }
  const vlans = asks.vlans.last - asks.vlans.first + 1 - vlansIn(view, parent, asks.vlans).size;
  return { prefixes: size(prefixRange(whole)) / step - inUse, vlans };
}

/** What keeps a prefix of a parent from being carved: other networks, and what is set aside or reserved in the parent itself. */
function takenIn(view: View, parent: Network): Range[] {
  const whole = rangeOf(parent);
  return [
    ...view
      .all('Network')
      .filter((n) => n.name !== parent.name)
      .map(rangeOf)
      .filter((r) => r.v === whole.v && overlaps(r, whole) && !contains(r, whole)),
    ...[...parent.dhcp, ...parent.pools].map((s) => parseRange(s.range)),
    ...view.by('Reservation', 'network', parent.name).map((r) => parseRange(r.address)),
    ...(parent.gateway ? [parseRange(parent.gateway)] : []),
  ];
}
const vlansIn = (view: View, parent: Network, of: { first: number; last: number }): Set<number> =>
  new Set(
    view.by('Network', 'site', parent.site).flatMap((n) => (n.vlan && n.vlan >= of.first && n.vlan <= of.last ? [n.vlan] : [])),
  );
function freeVlan(view: View, parent: Network, of: { first: number; last: number }): number | undefined {
  const used = vlansIn(view, parent, of);
  for (let v = of.first; v <= of.last; v++) if (!used.has(v)) return v;
  return undefined;
}
/** The next pod range that overlaps no network, and no range of a cluster that there is. */
function freePods(estate: Estate, of: { prefix: string; length: number }, parent: Network): Prefix | undefined {
  const whole = parsePrefix(of.prefix);
  const used = [
    ...estate.networks.filter((n) => n.name !== parent.name).map((n) => n.prefix),
    ...estate.charters.flatMap((c) => [c.pods.range, c.services.range, ...(c.second ? [c.second.pods, c.second.services] : [])]),
  ].map((p) => prefixRange(parsePrefix(p)));
  return carve(
    whole,
    used.filter((r) => r.v === whole.v),
    of.length,
  );
}
function freshName(estate: Estate, wish: string): string {
  let name = wish;
  for (let i = 2; estate.networks.some((n) => n.name === name); i++) name = `${wish}-${i}`;
  return name;
}
const backRoutes = (estate: Estate, parent: Network, name: string): Edit[] =>
  estate.networks
    .filter((n) => parent.routesTo.includes(n.name) && n.routesTo.includes(parent.name))
    .map((n): Edit => ({ op: 'set', kind: 'Network', key: n.name, path: ['routesTo'], value: [...n.routesTo, name] }));

/**
 * Where what lies in a precinct, as distances from its first address: the gateway and its members, then nodes, four virtual addresses, and the last quarter for what
 * is published. Of a large one the first 4,096 addresses are laid out.
 */
function layout(p: Prefix, members: number) {
  const { first, last } = prefixRange(p);
  const whole = last - first + 1n;
  const room = whole > 4096n ? 4096n : whole;
  const inbound = (room * 3n) / 4n;
  // The last address of IPv4 is for broadcasts.
  const end = room === whole && p.v === 4 ? room - 2n : room - 1n;
  return {
    base: first,
    nodes: [BigInt(members) + 2n, inbound - 5n] as const,
    virtual: [inbound - 4n, inbound - 1n] as const,
    inbound: [inbound, end] as const,
  };
}
