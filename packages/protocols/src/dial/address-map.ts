import {
  bits,
  formatIp,
  formatPrefix,
  holds,
  isIp,
  parseIp,
  parsePrefix,
  type Prefix,
  prefixRange,
} from '@praesidor/core/address';

/** A mapAddress: addresses of one prefix are reached at the same place in another, ports shifted. Port forwarders and one-to-one NAT look like this from here. */
export interface AddressMapping {
  from: Prefix;
  to: Prefix;
  portShift: number;
}

/** `10.0.0.0/8=127.0.0.0/8+20000`, several separated by commas. @throws Error when one cannot be read or the lengths differ. */
export function parseAddressMap(text: string | undefined): AddressMapping[] {
  return (text ?? '')
    .split(',')
    .map((t) => t.trim())
    .filter(Boolean)
    .map((t) => {
      const m = /^([^=]+)=([^+]+)(?:\+(\d{1,5}))?$/.exec(t);
      if (!m) throw new Error(`cannot read the mapAddress ${JSON.stringify(t)}; write it like 10.0.0.0/8=127.0.0.0/8+20000`);
      const from = parsePrefix(m[1] as string);
      const to = parsePrefix(m[2] as string);
      if (from.v !== to.v || from.length !== to.length)
        throw new Error(`the mapAddress ${t} joins prefixes of different length: ${formatPrefix(from)} and ${formatPrefix(to)}`);
      return { from, to, portShift: Number(m[3] ?? 0) };
    });
}

/** Where an address and port is really reached from here. */
export function mapAddress(
  addressMap: readonly AddressMapping[],
  address: string,
  port: number,
): { host: string; port: number; taken: boolean } {
  const a = parseIp(address);
  const d = addressMap.find((x) => holds(prefixRange(x.from), a));
  if (!d) return { host: address, port, taken: false };
  const host = a.n & ((1n << BigInt(bits(a.v) - d.from.length)) - 1n);
  return { host: formatIp({ v: a.v, n: d.to.n | host }), port: port + d.portShift, taken: true };
}

/** The address of whoever is seen from here under another: the way back of a mapAddress. An IPv4 address in IPv6 clothes counts as itself. */
export function seenAs(addressMap: readonly AddressMapping[], client: string): string {
  const address = client.replace(/^::ffff:(?=\d+\.)/i, '');
  if (!isIp(address)) return address;
  const a = parseIp(address);
  const d = addressMap.find((x) => holds(prefixRange(x.to), a));
  if (!d) return address;
  const host = a.n & ((1n << BigInt(bits(a.v) - d.to.length)) - 1n);
  return formatIp({ v: a.v, n: d.from.n | host });
}
