import { consecutive, formatIp, holds, parseIp, parsePrefix, parseRange, prefixRange } from '../address/index.ts';
import { openIn } from '../ledger/open.ts';
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
): Addressing {
  const out: Addressing = {
    nodes: new Map(),
    apiName: apiNameOf(charter, site),
    inboundName: inboundNameOf(charter, site),
    reservations: [],
    inARow: false,
  };
  if (!network) return out;
  const own = new Map(view.by('Reservation', 'owner', `charter ${charter.name}`).map((r) => [r.owner.use, r]));
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
  for (const c of chosen) {
    const held = ours(`node ${c.host.name}`);
    if (held) out.nodes.set(c.host.name, { address: held.address, kept: true });
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
  return out;
}

const free = (a: Parameters<typeof formatIp>[0] | undefined) => (a ? formatIp(a) : undefined);
