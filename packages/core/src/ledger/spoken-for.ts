import { holds, isIp, overlaps, parseIp, parsePrefix, parseRange, prefixRange, serverList } from '../address/parse.ts';
import type { Network } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';

/** The part of an estate that speaks for addresses beside the ledger. */
export type Declared = Pick<Estate, 'sites' | 'networks' | 'zones' | 'charters' | 'registries' | 'hypervisors'> & {
  hosts: readonly Pick<Estate['hosts'][number], 'name' | 'site' | 'bmc'>[];
};

/** Addresses that are somebody's by the plan, and whose. */
export interface Spoken {
  /** One address, or a range `10.62.8.64-10.62.8.79`. */
  range: string;
  by: string;
}

/** Host part of `name:port`, `https://name:port/path` or a bare address. */
const hostOf = (endpoint: string): string =>
  endpoint
    .replace(/^https?:\/\//, '')
    .replace(/\/.*$/, '')
    .replace(/^\[([^\]]+)\].*$/, '$1')
    .replace(/^([^:]+):\d+$/, '$1');

/**
 * Every address of a network that the plan speaks for without a reservation: resolvers and time servers, name servers,
 * next hops, controllers, hypervisors and registries that are declared by address, and of every charter its API, its
 * inbound address and its service pool. Nothing else may be given them, whoever asks: the allocator, a charter, a remedy,
 * the command line. `without` leaves out what one charter speaks for, when it is that charter that asks.
 */
export function spokenFor(estate: Declared, network: Network, without?: { charter: string }): Spoken[] {
  const whole = prefixRange(parsePrefix(network.prefix));
  const out: Spoken[] = [];
  const address = (text: string | undefined, by: string) => {
    if (text !== undefined && isIp(text) && holds(whole, parseIp(text))) out.push({ range: text, by });
  };
  for (const s of estate.sites)
    for (const [list, what] of [
      [s.resolvers, 'resolver'],
      [s.ntp, 'time server'],
    ] as const)
      for (const a of serverList(list).servers) address(a, `${what} of ${s.name}`);
  for (const n of estate.networks) {
    for (const a of serverList(n.resolvers ?? []).servers) address(a, `resolver of ${n.name}`);
    for (const a of serverList(n.ntp ?? []).servers) address(a, `time server of ${n.name}`);
    for (const r of n.routes) address(r.via, `next hop of ${n.name}`);
  }
  for (const z of estate.zones) address(z.primary, `name server of ${z.name}`);
  for (const h of estate.hosts) address(h.bmc?.address, `controller of ${h.name}`);
  for (const h of estate.hypervisors) address(hostOf(h.endpoint), `hypervisor ${h.name}`);
  for (const r of estate.registries) address(hostOf(r.endpoint), `registry ${r.name}`);
  for (const charter of estate.charters) {
    if (charter.name === without?.charter) continue;
    address(charter.api.address, `API of ${charter.name}`);
    address(charter.inbound.address, `inbound of ${charter.name}`);
    const pool = charter.servicePool?.range;
    if (pool && overlaps(parseRange(pool), whole)) out.push({ range: pool, by: `service pool of ${charter.name}` });
  }
  return out;
}
export const rangesOf = (list: readonly Spoken[]): string[] => list.map((s) => s.range);
