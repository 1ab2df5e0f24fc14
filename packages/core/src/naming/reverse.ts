import { type Address, bits, parseIp } from '../address/parse.ts';

/** The owner name of an address's PTR record: octets (RFC 1035 §3.5) or nibbles (RFC 3596 §2.5), no final dot. */
export function reverseName(address: string): string {
  const a: Address = parseIp(address);
  const step = a.v === 4 ? 8 : 4;
  const labels: string[] = [];
  for (let shift = 0; shift < bits(a.v); shift += step)
    labels.push(((a.n >> BigInt(shift)) & (a.v === 4 ? 255n : 15n)).toString(a.v === 4 ? 10 : 16));
  return `${labels.join('.')}.${a.v === 4 ? 'in-addr' : 'ip6'}.arpa`;
}

export const inZone = (name: string, zone: string) => name === zone || name.endsWith(`.${zone}`);

/** The declared zone that a name belongs to: the longest that ends it. */
export function zoneFor<Z extends { name: string }>(name: string, zones: readonly Z[]): Z | undefined {
  return zones.filter((z) => inZone(name, z.name)).sort((a, b) => b.name.length - a.name.length)[0];
}
