import { rangesOf, spokenFor } from '../ledger/spoken-for.ts';
import { consecutive, formatIp, parseRange, spaceOf } from '../address/index.ts';
import type { Charter, Network, Reservation, Site } from '../model/documents.ts';
import { uplinkFor } from './uplink.ts';
import type { Estate } from '../model/estate.ts';
import type { Chosen } from './placement.ts';

export interface Addressing {
  nodes: Map<string, { address: string; kept: boolean }>;
  api?: string;
  inbound?: string;
  apiName: string;
  inboundName: string;
  reservations: Reservation[];
  failed?: string;
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
  estate: Estate,
): Addressing {
  const out: Addressing = {
    nodes: new Map(),
    apiName: apiNameOf(charter, site),
    inboundName: inboundNameOf(charter, site),
    reservations: [],
    inARow: false,
  };
  if (!network) return out;
  const ours = (use: string) =>
    estate.reservations.find((r) => r.owner.kind === 'charter' && r.owner.name === charter.name && r.owner.use === use);
  const taken = [
    ...estate.reservations.filter((r) => r.network === network.name).map((r) => r.address),
    ...rangesOf(spokenFor(estate, network, { charter: charter.name })),
  ];
  const virtualPool = network.pools.find((p) => p.use === 'virtual');
  const virtual = spaceOf(network, taken, 'virtual');
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

  const space = spaceOf(network, [...taken, ...[out.api, out.inbound].filter((a) => a !== undefined)]);
  if (charter.servicePool) space.take(parseRange(charter.servicePool.range));
  const within = network.pools.find((p) => p.use === 'host');
  const range = within ? parseRange(within.range) : space.range;
  const wanting: Chosen[] = [];
  for (const c of chosen) {
    const held = ours(`node ${c.host.name}`);
    if (held) out.nodes.set(c.host.name, { address: held.address, kept: true });
    else wanting.push(c);
  }
  const block = wanting.length ? space.freeBlock(wanting.length, 1n, range) : undefined;
  out.inARow = block !== undefined && wanting.length === chosen.length;
  const row = block ? consecutive(block, wanting.length) : [];
  wanting.forEach((c, i) => {
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
