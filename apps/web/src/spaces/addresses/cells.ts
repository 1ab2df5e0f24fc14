import { formatIp, holds, parseIp, parsePrefix, parseRange, prefixRange } from '@praesidor/core/address';
import type { Estate, Network, Reservation } from '@praesidor/core/model';

export type CellKind = 'free' | 'end' | 'gateway' | 'host' | 'virtual' | 'pool' | 'dhcp' | 'hand' | 'twice' | 'virtual-pool';
export interface Cell {
  address: string;
  kind: CellKind;
  says: string;
  reservation?: Reservation;
}

/** Largest prefix that is drawn with a cell an address. */
export const mostCells = 1024;

/** Every address of a prefix with what stands on it: what two things claim is claimed twice. */
export function cellsOf(network: Network, estate: Estate): Cell[] {
  const prefix = parsePrefix(network.prefix);
  const range = prefixRange(prefix);
  const count = Number(range.last - range.first + 1n);
  if (count > mostCells || prefix.v === 6) return [];
  const by = new Map(estate.reservations.filter((r) => r.network === network.name).map((r) => [r.address, r]));
  const scopes = network.dhcp.map((s) => ({ ...parseRange(s.range), name: s.name }));
  const services = estate.charters
    .filter((c) => c.machineNetwork === network.name && c.servicePool)
    .map((c) => ({ ...parseRange(c.servicePool?.range ?? ''), name: c.name }));
  const virtuals = network.pools.filter((p) => p.use === 'virtual').map((p) => parseRange(p.range));
  return Array.from({ length: count }, (_, i): Cell => {
    const a = { v: prefix.v, n: range.first + BigInt(i) };
    const address = formatIp(a);
    const r = by.get(address);
    const scope = scopes.find((s) => holds(s, a));
    const service = services.filter((s) => holds(s, a));
    const claims = [
      scope && `DHCP scope ${scope.name}`,
      ...service.map((s) => `service pool of ${s.name}`),
      r && `${r.name ?? r.owner.name}${r.mac ? `, ${r.mac}` : ''}`,
    ].filter((x): x is string => !!x);
    const says = `${address}${claims.length ? `: ${claims.join(' and ')}` : ''}`;
    const cell = (kind: CellKind, text = says): Cell => ({ address, kind, says: text, ...(r ? { reservation: r } : {}) });
    if (claims.length > 1 && !(r?.mac && scope && claims.length === 2)) return cell('twice', `${says}: claimed twice`);
    if (network.gateway === address) return cell('gateway', `${address}: gateway`);
    if (r)
      return cell(r.origin === 'follows' ? (r.owner.use === 'api' || r.owner.use === 'inbound' ? 'virtual' : 'host') : 'hand');
    if (service.length) return cell('pool');
    if (scope) return cell('dhcp');
    if (prefix.length < 31 && (i === 0 || i === count - 1))
      return cell('end', `${address}: ${i ? 'broadcast' : 'network'} address`);
    if (virtuals.some((v) => holds(v, a))) return cell('virtual-pool', `${address}: set aside for virtual addresses`);
    return cell('free', `${address}: free`);
  });
}
export const isInside = (network: Network, address: string) => {
  try {
    return holds(prefixRange(parsePrefix(network.prefix)), parseIp(address));
  } catch {
    return false;
  }
};
