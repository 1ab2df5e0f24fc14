import { consecutive, formatIp, holds, parseIp, parsePrefix, parseRange, prefixRange } from '../address/index.ts';
import { hostWith, nodeOf } from '../ledger/host-of.ts';
import { openIn } from '../ledger/open.ts';
import { sortKey } from '../model/estate.ts';
import type { Charter, Network, Reservation, Site } from '../model/documents.ts';
import { uplinkFor } from './uplink.ts';
import type { View } from '../reading/index.ts';
import type { Chosen } from './placement.ts';

export interface Addressing {
  nodes: Map<string, { address: string; kept: boolean }>;
  api?: string;
  inbound?: string;
  apiName: string;
  inboundName: string;
  /** In further networks, by network and host. */
  further: Map<string, Map<string, string>>;
  reservations: Reservation[];
  failed?: string;
  /** The field that it comes from, where it is another than the network. */
  failedAt?: string[];
  inARow: boolean;
}

export const apiNameOf = (charter: Charter, site: Site | undefined) =>
  charter.api.name ?? `kube.${charter.name}.${site?.domain ?? 'unknown.example'}`;
export const inboundNameOf = (charter: Charter, site: Site | undefined) =>
  charter.inbound.name ?? `*.in.${charter.name}.${site?.domain ?? 'unknown.example'}`;

/**
 * Addresses of a charter. What is held stays; API and inbound come from the network's virtual pool; the
 * nodes without an address get one block in a row, else the lowest free ones.
 */
export function addressing(
  charter: Charter,
  site: Site | undefined,
  network: Network | undefined,
  chosen: readonly Chosen[],
  view: View,
  further: readonly Network[] = [],
  /** The network among them whose addresses have the names of the hosts themselves. */
  second?: string,
): Addressing {
  const out: Addressing = {
    nodes: new Map(),
    apiName: apiNameOf(charter, site),
    inboundName: inboundNameOf(charter, site),
    further: new Map(),
    reservations: [],
    inARow: false,
  };
  if (!network) return out;
  const reserved = view.by('Reservation', 'owner', `charter ${charter.name}`);
  // What it has in a network that it stood in before is no use in this one.
  const own = new Map(reserved.filter((r) => r.network === network.name).map((r) => [r.owner.use, r]));
  const everywhere = new Map(reserved.map((r) => [r.owner.use, r]));
  const ours = (use: string) => own.get(use);
  const without = { charter: charter.name };
  const virtualPool = network.pools.find((p) => p.use === 'virtual');
  const virtual = openIn(view, network, 'virtual', without);
  if (charter.servicePool) virtual.take(parseRange(charter.servicePool.range));
  const fixed = (given: string | undefined, use: string): string | undefined => {
    const held = ours(use)?.address;
    const address =
      given ?? held ?? free(virtual.nextFree({ kind: 'lowest' }, virtualPool ? parseRange(virtualPool.range) : undefined));
    if (address) virtual.take(parseRange(address));
    return address;
  };
  out.api = fixed(charter.api.address, 'api');
  out.inbound = fixed(charter.inbound.address, 'inbound');

  const space = openIn(view, network, undefined, without);
  for (const a of [out.api, out.inbound]) if (a) space.take(parseRange(a));
  if (charter.servicePool) space.take(parseRange(charter.servicePool.range));
  const within = network.pools.find((p) => p.use === 'host');
  const range = within ? parseRange(within.range) : space.range;
  const wanting: Chosen[] = [];
  const left = leftBehind(charter, chosen, [...own.values()], view, nodeOf);
  for (const c of chosen) {
    const held = ours(`node ${c.host.name}`)?.address;
    // One that it had in an earlier life of its own is not its any more.
    const address = c.host.held?.charter === charter.name ? (held ?? left(c.role)) : (left(c.role) ?? held);
    if (address) out.nodes.set(c.host.name, { address, kept: held === address });
    else wanting.push(c);
  }
  const from = charter.nodesFrom ? parseIp(charter.nodesFrom) : undefined;
  // From an address that was set: all in a row from there, or none; which one is in the way is said.
  if (from && wanting.length) {
    const row = consecutive(from, wanting.length);
    const taken = row.find((a) => !holds(prefixRange(parsePrefix(network.prefix)), parseIp(a)) || space.isTaken(parseIp(a)));
    if (taken) {
      out.failed = `${wanting.length} addresses in a row from ${charter.nodesFrom} are not free: ${taken} is taken, or outside ${network.name}`;
      out.failedAt = ['nodesFrom'];
    }
  }
  const block = !wanting.length ? undefined : from ? (out.failed ? undefined : from) : space.freeBlock(wanting.length, 1n, range);
  out.inARow = block !== undefined && wanting.length === chosen.length;
  const row = block ? consecutive(block, wanting.length) : [];
  wanting.forEach((c, i) => {
    if (from && out.failed) return;
    const address = row[i] ?? free(space.nextFree({ kind: 'lowest' }, range));
    if (!address) {
      out.failed = `${network.name} has no free address left for ${c.host.name}`;
      return;
    }
    space.take(parseRange(address));
    out.nodes.set(c.host.name, { address, kept: false });
  });

  const reserve = (use: string, address: string | undefined, name: string, mac?: string) => {
    if (address)
      out.reservations.push({
        apiVersion: 'praesidor/v1',
        kind: 'Reservation',
        address,
        network: network.name,
        name,
        ...(mac ? { mac } : {}),
        owner: { kind: 'charter', name: charter.name, use },
        origin: 'follows',
      });
  };
  reserve('api', out.api, out.apiName);
  reserve('inbound', out.inbound, out.inboundName);
  for (const c of chosen)
    reserve(
      `node ${c.host.name}`,
      out.nodes.get(c.host.name)?.address,
      `${c.host.name}.${site?.domain}`,
      uplinkFor(c.host, network).adapters[0]?.mac,
    );
  for (const n of further) {
    const there = openIn(view, n, undefined, without);
    const pool = n.pools.find((p) => p.use === 'host');
    const range = pool ? parseRange(pool.range) : there.range;
    const given = new Map<string, string>();
    out.further.set(n.name, given);
    const left = leftBehind(charter, chosen, reserved, view, (r) => (r.network === n.name ? hostWith(r) : undefined));
    const lacking = chosen.filter((c) => {
      const had = everywhere.get(furtherUse(n.name, c.host.name))?.address;
      const held = c.host.held?.charter === charter.name ? (had ?? left(c.role)) : (left(c.role) ?? had);
      if (held) given.set(c.host.name, held);
      return !held;
    });
    const block = lacking.length ? there.freeBlock(lacking.length, 1n, range) : undefined;
    const row = block ? consecutive(block, lacking.length) : [];
    lacking.forEach((c, i) => {
      const address = row[i] ?? free(there.nextFree({ kind: 'lowest' }, range));
      if (!address) {
        out.failed ??= `${n.name} has no free address left for ${c.host.name}`;
        out.failedAt ??= n.name === second ? ['second', 'network'] : ['networks'];
        return;
      }
      there.take(parseRange(address));
      given.set(c.host.name, address);
    });
    for (const [host, address] of given)
      out.reservations.push({
        apiVersion: 'praesidor/v1',
        kind: 'Reservation',
        address,
        network: n.name,
        name: n.name === second ? `${host}.${site?.domain}` : `${host}-${n.purpose}.${site?.domain}`,
        owner: { kind: 'charter', name: charter.name, use: furtherUse(n.name, host) },
        origin: 'follows',
      });
  }
  return out;
}

/**
 * Addresses of hosts that serve and are not chosen any more, for whoever takes their place, where the charter says so: each once, by role.
 * @param of the host that a reservation is of
 */
function leftBehind(
  charter: Charter,
  chosen: readonly Chosen[],
  own: readonly Reservation[],
  view: View,
  of: (r: Reservation) => string | undefined,
): (role: Chosen['role']) => string | undefined {
  if (!charter.keepAddresses) return () => undefined;
  const stay = new Set(chosen.map((c) => c.host.name));
  const left = own
    .flatMap((r) => {
      const host = view.get('Host', of(r) ?? '');
      const goes = host && !stay.has(host.name) && host.state === 'serving' && host.held?.charter === charter.name;
      return goes ? [{ role: host.held?.role, address: r.address, host: host.name }] : [];
    })
    .sort((a, b) => (sortKey(a.host) < sortKey(b.host) ? -1 : 1));
  return (role) => {
    const at = left.findIndex((l) => l.role === role);
    return at < 0 ? undefined : left.splice(at, 1)[0]?.address;
  };
}

/** What a reservation of a node in a further network is for. */
const furtherUse = (network: string, host: string) => `${network} of ${host}`;
const free = (a: Parameters<typeof formatIp>[0] | undefined) => (a ? formatIp(a) : undefined);
