import {
  contains,
  formatIp,
  formatPrefix,
  formatRange,
  holds,
  parseIp,
  parsePrefix,
  parseRange,
  prefixRange,
  size,
} from '../address/index.ts';
import { resolve } from '../charter/resolve.ts';
import type { Plan } from '../charter/plan.ts';
import type { Network } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import type { OutsideRoute } from '../files/outside-routes.ts';
import type { Announcement } from './announce.ts';
import { waysBetween } from './apart.ts';
import { endOf } from './ends.ts';
import { someoneIn } from './someone.ts';
import { coverOf, graphOf, inside, type Reach } from './graph.ts';
import { legsBetween, trace } from './trace.ts';

/** Whether machines of one network reach something, and are answered. */
export type Reached = 'both' | 'there' | 'back' | 'none' | 'unknown';
const wayOf = (reach: Reach, from: Parameters<typeof trace>[1], to: Parameters<typeof trace>[1]): Reached => {
  const { forward, back } = legsBetween(reach, from, to);
  if (forward.stop?.sort === 'unknown' || back.stop?.sort === 'unknown') return 'unknown';
  return forward.stop ? (back.stop ? 'none' : 'back') : back.stop ? 'there' : 'both';
};

/** Which networks of a site reach which, by what is declared: a row for each, with a way to each of them in the same order. */
export function reachMatrix(estate: Estate, networks: readonly Network[]): Reached[][] {
  const reach = graphOf(estate);
  const ends = networks.map((n) => someoneIn(reach, n));
  return ends.map((a, i) => ends.map((b, k) => (i === k ? 'both' : wayOf(reach, a, b))));
}

export interface ServiceRow {
  name: string;
  namespace: string;
  address: string | undefined;
  port: number | undefined;
  by: 'set' | 'held' | 'turn';
  /** What somebody writes to name it as an end of a path. */
  end: string;
}
/** A service that is planned at a port of every node. */
export interface NodePortRow {
  name: string;
  namespace: string;
  port: number;
  protocol: 'tcp' | 'udp';
  end: string;
}
/** A range of addresses of a cluster: whose they are, and where it comes from. */
export interface RangeRow {
  of: string;
  range: string;
  gives: string;
  from: string;
}
export interface Client {
  network: string;
  prefix: string;
  way: Reached;
  /** Why not, and what is lacking. */
  why: string | undefined;
  lacking: string[];
  /** What it must be told so that it reaches the pool; undefined: it is in the same network, or has no way out. */
  route: OutsideRoute | undefined;
}
export interface ClusterReach {
  announcements: Announcement[];
  pool: { range: string; size: number; planned: number } | undefined;
  services: ServiceRow[];
  nodePorts: NodePortRow[];
  ranges: RangeRow[];
  clients: Client[];
  /** Clusters that it is kept apart from, with the ways between that there are. */
  apart: { name: string; ways: { from: string; to: string; what: string; over: string[] }[] }[];
}

/** How what runs in a cluster is reached: its published services, who reaches them, and which range gives which address. */
export function clusterReach(plan: Plan, estate: Estate): ClusterReach {
  const { charter, network } = plan;
  const reach = graphOf(estate);
  const pool = charter.servicePool;
  const range = pool && parseRange(pool.range);
  const to = range && network ? endOf(estate, reach, service(network, formatIp({ v: range.v, n: range.first }))) : undefined;
  const clients = estate.networks
    .filter(
      (n) =>
        n.site === charter.site &&
        n.name !== network?.name &&
        // What precincts are carved out of is no link, and nobody is in it.
        !n.precincts &&
        (n.purpose === 'client' || n.purpose === 'machine' || n.purpose === 'uplink'),
    )
    .map((n): Client => {
      const end = someoneIn(reach, n);
      const t = to && trace(reach, end, to, 1);
      const stop = t?.forward.stop ?? t?.back.stop;
      const router = n.gateway;
      return {
        network: n.name,
        prefix: n.prefix,
        way: to ? wayOf(reach, end, to) : 'none',
        why: stop ? `${t?.forward.stop ? 'stops' : 'the answer stops'} at ${stop.at}: ${stop.why}` : undefined,
        lacking: [...(t?.forward.stop?.lacking ?? []), ...(t?.back.stop?.lacking ?? [])],
        route: router && range ? { to: coverOf(range).map(formatPrefix), via: router } : undefined,
      };
    });
  return {
    announcements: plan.announcing,
    pool: pool && range ? { range: pool.range, size: Number(size(range)), planned: plan.services.length } : undefined,
    services: plan.services.map((s) => ({
      name: s.name,
      namespace: s.namespace,
      address: s.address,
      port: s.port,
      by: s.by,
      end: `${charter.name}/${s.name}`,
    })),
    nodePorts: (charter.nodePorts ?? []).map((s) => ({ ...s, end: `${charter.name}/${s.name}` })),
    ranges: rangesOf(plan, estate),
    clients,
    apart: (charter.apart ?? []).map((name) => {
      const other = estate.charters.find((c) => c.name === name);
      const ways = other ? waysBetween(reach, charter, other) : [];
      return { name, ways: ways.map(({ from, to, what, over }) => ({ from, to, what, over })) };
    }),
  };
}
/** An address as an end: with its network before it, since two networks can have one prefix. */
const service = (network: Network, address: string): string =>
  inside(network, address) ? `${network.name}/${address}` : address;

/** Which range gives which address: of nodes, pods, services inside and outside, and of what leaves. */
export function rangesOf(plan: Plan, estate: Estate): RangeRow[] {
  const { charter, network, api, inbound, room } = plan;
  const hosts = network?.pools.find((p) => p.use === 'host');
  const virtual = network?.pools.find((p) => p.use === 'virtual');
  const where = network ? `network ${network.name}` : charter.machineNetwork;
  const prefix = network && prefixRange(parsePrefix(network.prefix));
  const nat = estate.gateways.flatMap((g) =>
    g.nat.filter((n) => prefix && contains(prefixRange(parsePrefix(n.from)), prefix)).map((n) => ({ g, n })),
  );
  return [
    {
      of: 'Nodes',
      range: hosts?.range ?? network?.prefix ?? '',
      gives: `${plan.nodes.length} planned, one each`,
      from: hosts ? `pool ${hosts.name} of ${where}` : where,
    },
    { of: 'API', range: api.address, gives: api.name, from: virtual ? `pool ${virtual.name} of ${where}` : where },
    { of: 'Inbound', range: inbound.address, gives: inbound.name, from: virtual ? `pool ${virtual.name} of ${where}` : where },
    {
      of: 'Pods',
      range: charter.pods.range,
      gives: `a /${charter.pods.perNode} for each node, ${room.podsPerNode} pods`,
      from: 'the charter; known inside only',
    },
    {
      of: 'Services inside',
      range: charter.services.range,
      gives: `${room.services} services`,
      from: 'the charter; known inside only',
    },
    ...(charter.servicePool
      ? [
          {
            of: 'Published services',
            range: charter.servicePool.range,
            gives: `${size(parseRange(charter.servicePool.range))} services, ${plan.services.length} planned`,
            from: charter.servicePool.announce === 'bgp' ? 'the charter; told to routers by BGP' : `${where}, by ARP and NDP`,
          },
        ]
      : []),
    {
      of: 'What leaves',
      range: nat.length ? nat.map(({ n }) => n.to).join(', ') : 'the node’s own',
      gives: 'pods leave with the address of their node',
      from: nat.length ? `translated by ${[...new Set(nat.map(({ g }) => g.name))].join(', ')}` : where,
    },
  ];
}

/** What an address is: whose, of which block, on which node, and since when. */
export interface WhatIs {
  what: string;
  network?: string;
  block?: string;
  node?: string;
  since?: string;
}
/** What is declared of one address, the narrowest first. */
export function whatIs(estate: Estate, text: string): WhatIs[] {
  const address = formatIp(parseIp(text));
  const reach = graphOf(estate);
  const ip = parseIp(address);
  const out: WhatIs[] = [];
  for (const r of estate.reservations)
    if (formatIp(parseIp(r.address)) === address && !r.resting) {
      const node = r.owner.use?.match(/^node (.+)$/)?.[1];
      out.push({
        what: r.name ?? `${r.owner.name}${r.owner.use ? `: ${r.owner.use}` : ''}`,
        network: r.network,
        ...(node ? { node } : {}),
        ...(r.since ? { since: r.since } : {}),
      });
    }
  for (const r of reach.routers)
    for (const f of r.interfaces)
      if (f.address && formatIp(parseIp(f.address)) === address) out.push({ what: r.name, network: f.network });
  for (const g of estate.gateways)
    for (const a of g.addresses)
      if (formatIp(parseIp(a.address)) === address) out.push({ what: `${g.name}, at the member that leads`, network: a.network });
  for (const c of estate.charters) {
    const plan = resolve(c, estate);
    const known = (use: string) => out.some((o) => o.what === use);
    const s = plan.services.find((x) => x.address === address);
    if (s) out.push({ what: `service ${s.namespace}/${s.name} of ${c.name}`, block: c.servicePool?.range ?? '' });
    else if (c.servicePool && holds(parseRange(c.servicePool.range), ip))
      out.push({ what: `free for a published service of ${c.name}`, block: c.servicePool.range });
    for (const n of plan.nodes)
      if (n.address === address && !known(n.name)) out.push({ what: n.name, node: n.host, network: c.machineNetwork });
    for (const [use, a] of [
      ['API', plan.api],
      ['inbound address', plan.inbound],
    ] as const)
      if (a.address === address && !known(a.name)) out.push({ what: `${use} of ${c.name}`, network: c.machineNetwork });
    for (const [use, range] of [
      ['a pod', c.pods.range],
      ['a service inside', c.services.range],
    ] as const)
      if (holds(prefixRange(parsePrefix(range)), ip)) {
        const of = parsePrefix(range);
        const length = use === 'a pod' ? c.pods.perNode : of.length;
        const host = BigInt((of.v === 4 ? 32 : 128) - length);
        out.push({ what: `${use} of ${c.name}`, block: formatPrefix({ v: of.v, n: (ip.n >> host) << host, length }) });
      }
  }
  for (const n of reach.around(address)) {
    const scope = n.dhcp.find((d) => holds(parseRange(d.range), ip));
    const pool = n.pools.find((p) => holds(parseRange(p.range), ip));
    out.push({
      what: scope ? 'an address that DHCP leases' : pool ? `an address for ${pool.use}` : 'an address',
      network: n.name,
      block: scope ? formatRange(parseRange(scope.range)) : pool ? formatRange(parseRange(pool.range)) : n.prefix,
    });
  }
  return out;
}
