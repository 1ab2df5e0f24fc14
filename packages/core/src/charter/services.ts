import { formatIp, holds, parseIp, parsePrefix, parseRange, prefixRange } from '../address/parse.ts';
import type { Charter, Network, Reservation } from '../model/documents.ts';
import { serviceUse } from '../ledger/service-of.ts';
import type { View } from '../reading/index.ts';

/** A service that is planned, with the address that it is published at; none: its pool has no free one left. */
export interface PlannedService {
  name: string;
  namespace: string;
  address: string | undefined;
  port?: number;
  /** By which it has its address: it was set, it has been reserved, or it is its turn. */
  by: 'set' | 'held' | 'turn';
}

/**
 * Addresses of the planned services: what is set, what has been reserved for it, else the next of the pool that nobody has. Those that have theirs keep it, whoever
 * comes before them in the list.
 */
export function plannedServices(charter: Charter, networks: readonly Network[], view: View): PlannedService[] {
  const pool = charter.servicePool;
  if (!pool?.services?.length) return [];
  const range = parseRange(pool.range);
  const own = new Map(view.by('Reservation', 'owner', `charter ${charter.name}`).map((r) => [r.owner.use, r.address]));
  const at = networks.find((n) => holds(prefixRange(parsePrefix(n.prefix)), { v: range.v, n: range.first }));
  const taken = new Set<string>();
  const scopes = (at?.dhcp ?? []).map((d) => parseRange(d.range));
  for (const r of at ? view.by('Reservation', 'network', at.name) : []) if (!r.resting) taken.add(formatIp(parseIp(r.address)));
  for (const s of pool.services) if (s.address) taken.add(s.address);
  let next = range.first;
  const turn = (): string | undefined => {
    for (; next <= range.last; next++) {
      const a = { v: range.v, n: next };
      const text = formatIp(a);
      if (taken.has(text) || scopes.some((s) => holds(s, a))) continue;
      taken.add(text);
      return text;
    }
    return undefined;
  };
  return pool.services.map((s) => {
    const held = own.get(serviceUse(s));
    const kept = held && holds(range, parseIp(held)) ? held : undefined;
    const { name, namespace, port } = s;
    return {
      name,
      namespace,
      ...(port === undefined ? {} : { port }),
      ...(s.address
        ? { address: s.address, by: 'set' as const }
        : kept
          ? { address: kept, by: 'held' as const }
          : { address: turn(), by: 'turn' as const }),
    };
  });
}

/** Reservations of planned services in the network that their pool lies in; a pool that lies in none is announced, and nothing else has addresses of it. */
export const serviceReservations = (
  charter: Charter,
  services: readonly PlannedService[],
  network: Network | undefined,
): Reservation[] =>
  network
    ? services.flatMap((s) =>
        s.address && holds(prefixRange(parsePrefix(network.prefix)), parseIp(s.address))
          ? [
              {
                apiVersion: 'praesidor/v1' as const,
                kind: 'Reservation' as const,
                address: s.address,
                network: network.name,
                owner: { kind: 'charter' as const, name: charter.name, use: serviceUse(s) },
                origin: 'follows' as const,
              },
            ]
          : [],
      )
    : [];
