import { uplinkOf } from '../charter/uplink.ts';
import type { Gateway } from '../model/documents.ts';
import type { Computed, PlannedNode } from '../charter/plan.ts';

/** Gbit/s of what carries the machine network of a node: links that share the load together, else the slowest that can lead; undefined: one is not known. */
export function linkOf(node: PlannedNode): number | undefined {
  const up = uplinkOf(node);
  const speeds = up.adapters.map((a) => node.facts.nics.find((n) => n.mac === a.mac)?.speedGbit ?? 0);
  if (!speeds.length || speeds.some((s) => s <= 0)) return undefined;
  return up.bond === '802.3ad' ? speeds.reduce((a, b) => a + b, 0) : Math.min(...speeds);
}
type Nodes = Pick<Computed, 'nodes'>;
/** Nodes that answer for published services: the workers, or all where there are none. */
export const answeringNodes = ({ nodes }: Nodes): PlannedNode[] => {
  const workers = nodes.filter((n) => n.role === 'worker');
  return workers.length ? workers : nodes;
};
/** The slowest link among the nodes that answer. */
export function slowestOf(plan: Nodes): number | undefined {
  const links = answeringNodes(plan).map(linkOf);
  return links.length && links.every((l) => l !== undefined) ? Math.min(...(links as number[])) : undefined;
}

/** Part of a time, with the field of the charter that it comes from where it is one. */
export interface Part {
  what: string;
  seconds: number;
}
/** How published services are made known, with what that gives and takes. */
export interface Announcement {
  by: 'arp' | 'bgp';
  chosen: boolean;
  /** How many nodes carry one service at once. */
  carriers: number;
  /** Gbit/s of one service at most; undefined: links are not known. */
  ceiling: number | undefined;
  /** Until another answers, in seconds, when who answers dies. */
  outage: number;
  /** What the time is the sum of. */
  parts: Part[];
  /** What it asks of the network. */
  needs: string[];
  /** What is not there yet; empty: it could be so at once. */
  lacks: string[];
}
/** Seconds that a neighbour takes to take over an address that it is told of (RFC 5227 §2.3: two announcements, two seconds apart), and routers theirs. */
const told = 2;
/** Seconds in which a router takes another way when one has gone. */
const rerouted = 1;
/** Seconds without a word after which BGP takes a neighbour for gone, where nothing else is said (RFC 4271 §10). */
export const usualHold = 90;

/** Both ways of making services known, side by side: what each gives with this cluster's own timers, and what it needs. */
export function announcements(
  plan: Pick<Computed, 'charter' | 'nodes' | 'timers'>,
  gateways: readonly Gateway[] = [],
): Announcement[] {
  const { charter, timers } = plan;
  const nodes = answeringNodes(plan);
  const links = nodes.map(linkOf);
  const known = links.length > 0 && links.every((l) => l !== undefined) ? (links as number[]) : undefined;
  const pool = charter.servicePool;
  const sum = (parts: Part[]) => parts.reduce((a, p) => a + p.seconds, 0);
  const arp: Part[] = [
    // The lease of a node is renewed every quarter of its length: the last one may be as old as that when it dies.
    { what: 'the last renewal of its lease may be as old as', seconds: timers.lease / 4 },
    { what: 'without a sign it counts as lost after', seconds: timers.grace },
    { what: 'another node tells the network, twice', seconds: told },
  ];
  const peers = pool?.peers ?? [];
  const routers = peers.flatMap(
    (p) => gateways.find((g) => g.members.some((m) => m.interfaces.some((f) => f.address === p.address)))?.bgp ?? [],
  );
  // Both sides take the smaller of their hold timers (RFC 4271 §4.2), and the slower pace of BFD (RFC 5880 §6.8.7); BFD needs both.
  const hold = Math.min(pool?.hold ?? usualHold, ...routers.map((r) => r.hold));
  const bfds = routers.map((r) => r.bfd);
  const bfd =
    pool?.bfd && bfds.every((b) => b)
      ? [pool.bfd, ...bfds.flatMap((b) => b ?? [])].reduce((x, y) => (x.interval * x.missed >= y.interval * y.missed ? x : y))
      : undefined;
  const ways = routers.length ? Math.min(...routers.map((r) => r.ways)) : undefined;
  const bgp: Part[] = [
    bfd
      ? {
          what: `${bfd.missed} packets of BFD missed, one every ${bfd.interval} ms`,
          seconds: (bfd.interval * bfd.missed) / 1000,
        }
      : { what: 'hold timer of BGP', seconds: hold },
    { what: 'the router takes another way', seconds: rerouted },
  ];
  const carriers = Math.min(nodes.length, ways ?? nodes.length);
  return [
    {
      by: 'arp',
      chosen: pool?.announce === 'arp',
      carriers: Math.min(1, nodes.length),
      ceiling: known && Math.min(...known),
      outage: sum(arp),
      parts: arp,
      needs: ['the pool lies in the network of the nodes'],
      lacks: nodes.length < 2 ? ['a second node that could answer'] : [],
    },
    {
      by: 'bgp',
      chosen: pool?.announce === 'bgp',
      carriers,
      // Of as many as are used at once, the slowest may be among them.
      ceiling:
        known &&
        [...known]
          .sort((a, b) => a - b)
          .slice(0, carriers)
          .reduce((a, b) => a + b, 0),
      outage: sum(bgp),
      parts: bgp,
      needs: [
        'routers that speak BGP with every node',
        'AS numbers of the nodes and of the routers',
        'as many equal ways at the routers as nodes are to share',
      ],
      lacks: [...(pool?.as ? [] : ['the AS number of the nodes']), ...(peers.length ? [] : ['a router to speak with'])],
    },
  ];
}
