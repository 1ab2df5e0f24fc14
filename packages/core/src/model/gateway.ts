import { z } from 'zod';
import { holds, parseIp, parsePrefix, prefixRange } from '../address/parse.ts';
import { overlayKinds } from './charter.ts';
import { AsNumber } from './as-number.ts';
import { doc } from './doc.ts';
import { Cidr, InterfaceName, Ip, Line, Name } from './words.ts';

/** Where a packet is for, and over which next hop it gets there. */
export const StaticRoute = z.strictObject({ to: Cidr, via: Ip });
export type StaticRoute = z.infer<typeof StaticRoute>;

/**
 * One line of a list of rules: the first that a packet matches says what becomes of it; one that matches none passes. Answers of what passed are let through by
 * the router that let it pass, and by no other.
 */
export const TrafficRule = z
  .strictObject({
    do: z.enum(['allow', 'deny']),
    /** From and to which addresses; without it any. */
    from: Cidr.optional(),
    to: Cidr.optional(),
    protocol: z.enum(['tcp', 'udp', 'icmp']).optional(),
    /** Of TCP and UDP: the port that is asked, or a run of them. */
    port: z.number().int().min(1).max(65_535).optional(),
    lastPort: z.number().int().min(1).max(65_535).optional(),
  })
  .superRefine((r, ctx) => {
    const wrong = (path: string, message: string) => ctx.addIssue({ code: 'custom', path: [path], message });
    if (r.port !== undefined && r.protocol !== 'tcp' && r.protocol !== 'udp') wrong('port', 'only TCP and UDP have ports');
    if (r.lastPort !== undefined && (r.port === undefined || r.lastPort < r.port))
      wrong('lastPort', 'a run of ports ends at or after the port that it begins with');
    if (r.from && r.to && r.from.includes(':') !== r.to.includes(':')) wrong('to', 'both are of one version of IP');
  });
export type TrafficRule = z.infer<typeof TrafficRule>;

const Member = z.strictObject({
  name: Name,
  /** Of those that an address can lead at, the highest has it (RFC 5798 §5.2.4; 255 is kept for who owns the address). */
  priority: z.number().int().min(1).max(254).default(100),
  /** Its own AS number, where it is another than that of the gateway. */
  as: AsNumber.optional(),
  /** Where it stands: an address in each network, and the interface that has it. */
  interfaces: z
    .array(
      z.strictObject({
        network: Name,
        address: Ip,
        name: InterfaceName.optional(),
        /** Where it is another than the network's. */
        mtu: z.number().int().min(576).max(9216).optional(),
      }),
    )
    .min(1)
    .max(64),
  /** Routes of its own, beside those of the gateway. */
  routes: z.array(StaticRoute).max(500).default([]),
  /** How the server enters it over SSH to set it up; without it its files are carried there by hand. */
  login: z
    .strictObject({
      /** Where it is another than that of its first interface. */
      address: Ip.optional(),
      port: z.number().int().min(1).max(65_535).optional(),
      /** By which it is known: its public key (RFC 8709). */
      hostKey: z.string().regex(/^ssh-ed25519 [A-Za-z0-9+/]{68}$/, 'a public key of the machine: ssh-ed25519 and 68 letters'),
    })
    .optional(),
});

/** What joins networks: one machine or appliance that routes, or several of which one leads, or that share the load. */
export const Gateway = doc('Gateway', {
  name: Name,
  site: Name,
  title: Line(80).default(''),
  sharing: z.enum(['one-leads', 'all-lead']).default('one-leads'),
  /** What each of its machines has. */
  size: z.strictObject({ cores: z.number().int().min(1).max(512), memoryGiB: z.number().positive().max(4096) }).optional(),
  members: z.array(Member).min(1).max(8),
  /** Addresses that move between the members, by VRRP (RFC 5798): the number of the virtual router, and who has it as long as it is there. */
  addresses: z
    .array(z.strictObject({ network: Name, address: Ip, id: z.number().int().min(1).max(255), leads: Name.optional() }))
    .max(64)
    .default([]),
  /** Seconds between two advertisements of who leads. */
  advertise: z.number().min(0.01).max(40.95).default(1),
  /** Routes that every member has. */
  routes: z.array(StaticRoute).max(500).default([]),
  /** Routers and nodes that it exchanges routes with (RFC 4271). */
  bgp: z
    .strictObject({
      as: AsNumber,
      /** Seconds without a word after which a neighbour counts as gone. */
      hold: z.number().int().min(3).max(65_535).default(90),
      /** Bidirectional forwarding detection (RFC 5880): milliseconds between two packets, and how many may be missed. */
      bfd: z.strictObject({ interval: z.number().int().min(10).max(10_000), missed: z.number().int().min(1).max(50) }).optional(),
      /** Of equal ways, how many are used at once. */
      ways: z.number().int().min(1).max(64).default(1),
      peers: z
        .array(z.strictObject({ address: Ip, as: AsNumber }))
        .max(200)
        .default([]),
    })
    .optional(),
  /** How packets travel in the tunnels that end at its members, and how large those are inside. */
  tunnels: z.strictObject({ kind: z.enum(overlayKinds), inside: z.number().int().min(576).max(9216).default(1500) }).optional(),
  /** Sources that leave with another address: whose, and which. `out`: only in that network. */
  nat: z
    .array(z.strictObject({ from: Cidr, to: Ip, out: Name.optional() }))
    .max(500)
    .default([]),
  rules: z.array(TrafficRule).max(1000).default([]),
}).superRefine((g, ctx) => {
  const names = g.members.map((m) => m.name);
  const wrong = (path: (string | number)[], message: string) => ctx.addIssue({ code: 'custom', path, message });
  for (const [i, m] of g.members.entries()) {
    if (names.indexOf(m.name) !== i) wrong(['members', i, 'name'], `${m.name} is another member`);
    const seen = new Set<string>();
    for (const [k, f] of m.interfaces.entries()) {
      if (seen.has(f.network))
        wrong(['members', i, 'interfaces', k, 'network'], `${m.name} has an address in ${f.network} already`);
      seen.add(f.network);
    }
  }
  for (const [i, a] of g.addresses.entries())
    if (a.leads && !names.includes(a.leads)) wrong(['addresses', i, 'leads'], `${g.name} has no member ${a.leads}`);
  for (const [i, n] of g.nat.entries())
    if (n.from.includes(':') !== n.to.includes(':')) wrong(['nat', i, 'to'], 'both are of one version of IP');
});
export type Gateway = z.infer<typeof Gateway>;
export type GatewayMember = Gateway['members'][number];

/** Whether a prefix holds an address, whatever version of IP either is of. */
export const covers = (prefix: string, address: string): boolean => holds(prefixRange(parsePrefix(prefix)), parseIp(address));
