import { type Address, bits, formatIp, holds, parseIp, type Prefix, prefixRange } from '../address/parse.ts';
import { splitPrefix } from '../address/ranges.ts';

/** The owner name of an address's PTR record: octets (RFC 1035 §3.5) or nibbles (RFC 3596 §2.5), no final dot. */
export function reverseName(address: string): string {
  const ip = parseIp(address);
  if (ip.v === 6) return reverseOf(ip, 128);
  const [a, b, c, d] = address.trim().split('.');
  return `${d}.${c}.${b}.${a}.in-addr.arpa`;
}

/** The reverse name of the first `length` bits of an address: whole octets or nibbles. */
function reverseOf(a: Address, length: number): string {
  const step = a.v === 4 ? 8 : 4;
  const labels: string[] = [];
  for (let shift = bits(a.v) - length; shift < bits(a.v); shift += step)
    labels.push(((a.n >> BigInt(shift)) & (a.v === 4 ? 255n : 15n)).toString(a.v === 4 ? 10 : 16));
  labels.push(a.v === 4 ? 'in-addr' : 'ip6', 'arpa');
  return labels.join('.');
}

export interface ReverseZone {
  name: string;
  prefix: Prefix;
  /** For a zone below a /24: the zone above it, in which names of the single addresses lead into this one. */
  parent?: string;
}

/**
 * The reverse zones of a prefix. On an octet or nibble boundary it is one; between two, the zones of the next
 * longer boundary; below a /24 a zone of its own, named `<first>-<last>` and delegated without classes
 * (RFC 2317 §4, with a hyphen where its examples have a slash, so that the name fits everywhere).
 */
export function reverseZones(p: Prefix): ReverseZone[] {
  const step = p.v === 4 ? 8 : 4;
  if (p.v === 4 && p.length > 24) {
    const parent = reverseOf(p, 24);
    const { first, last } = prefixRange(p);
    return [{ name: `${first & 255n}-${last & 255n}.${parent}`, prefix: p, parent }];
  }
  const length = Math.max(step, Math.ceil(p.length / step) * step);
  const parts = length === p.length ? [p] : splitPrefix(p, length);
  return parts.map((prefix) => ({ name: reverseOf(prefix, length), prefix }));
}

/**
 * The reverse zone that a prefix usually lies in: on an octet or nibble boundary at or above it, so that it is always one.
 *
 * @example
 * commonReverseZone(parsePrefix('10.62.8.0/25')) // '8.62.10.in-addr.arpa'
 */
export function commonReverseZone(p: Prefix): string {
  const step = p.v === 4 ? 8 : 4;
  return reverseOf(p, Math.max(step, Math.min(p.v === 4 ? 24 : 64, Math.floor(p.length / step) * step)));
}

/**
 * The records by which the zone above hands a classless zone over (RFC 2317 §4): its servers, and for every
 * address a name that leads into it.
 */
export function delegation(zone: ReverseZone, servers: readonly string[]): { name: string; type: string; value: string }[] {
  if (!zone.parent) return [];
  const { first, last } = prefixRange(zone.prefix);
  const out = servers.map((value) => ({ name: zone.name, type: 'NS', value }));
  for (let n = first; n <= last; n++)
    out.push({ name: reverseOf({ v: 4, n }, 32), type: 'CNAME', value: `${n & 255n}.${zone.name}` });
  return out;
}

const classless = /^(\d{1,3})-(\d{1,3})\.((?:\d{1,3}\.){3}in-addr\.arpa)$/;

/** The addresses that a classless reverse zone is about, read off its name. */
export function classlessRange(zone: string): { first: number; last: number; parent: string } | undefined {
  const m = classless.exec(zone);
  return m ? { first: Number(m[1]), last: Number(m[2]), parent: m[3] as string } : undefined;
}

/** The owner of an address's PTR where zones below a /24 are declared: inside the one that holds it, else as ever. */
export function pointerName(address: string, zones: readonly { name: string }[]): string {
  const plain = reverseName(address);
  if (!plain.endsWith('in-addr.arpa')) return plain;
  const dot = plain.indexOf('.');
  const last = Number(plain.slice(0, dot));
  const parent = plain.slice(dot + 1);
  for (const z of zones) {
    const range = classlessRange(z.name);
    if (range && range.parent === parent && range.first <= last && last <= range.last) return `${last}.${z.name}`;
  }
  return plain;
}

/** The prefix or range of addresses that a reverse zone is about, as text; undefined for a forward zone. */
export function addressesOf(zone: string): string | undefined {
  const below = classlessRange(zone);
  const octets = /^((?:\d{1,3}\.){1,4})in-addr\.arpa$/.exec(below?.parent ?? zone)?.[1];
  if (octets !== undefined) {
    const o = octets.split('.').filter(Boolean).reverse();
    if (below) return `${o.join('.')}.${below.first}-${o.join('.')}.${below.last}`;
    return `${[...o, '0', '0', '0'].slice(0, 4).join('.')}/${o.length * 8}`;
  }
  const nibbles = /^((?:[0-9a-f]\.){1,32})ip6\.arpa$/.exec(zone)?.[1];
  if (nibbles === undefined) return undefined;
  const hex = nibbles.split('.').filter(Boolean).reverse().join('');
  return `${formatIp({ v: 6, n: BigInt(`0x${hex.padEnd(32, '0')}`) })}/${hex.length * 4}`;
}

export const isReverse = (zone: string) => addressesOf(zone) !== undefined;
export const inZone = (name: string, zone: string) => name === zone || name.endsWith(`.${zone}`);

/** As `zoneFor`, for many names: by the labels of the name, whatever the number of zones. */
export function zoneFinder<Z extends { name: string }>(zones: readonly Z[]): (name: string) => Z | undefined {
  const by = new Map(zones.map((z) => [z.name, z]));
  return (name) => {
    for (let at = -1; ; ) {
      const found = by.get(name.slice(at + 1));
      if (found) return found;
      at = name.indexOf('.', at + 1);
      if (at < 0) return undefined;
    }
  };
}

/** The declared zone that a name belongs to: the longest that ends it. */
export function zoneFor<Z extends { name: string }>(name: string, zones: readonly Z[]): Z | undefined {
  let best: Z | undefined;
  for (const z of zones) if (inZone(name, z.name) && (!best || z.name.length > best.name.length)) best = z;
  return best;
}

/** Whether an address lies in what a reverse zone is about. */
export function zoneHolds(zone: string, address: string): boolean {
  const text = addressesOf(zone);
  if (!text) return false;
  const a = parseIp(address);
  const [from = '', to] = text.includes('/') ? [text] : text.split('-');
  if (to) return holds({ v: 4, first: parseIp(from).n, last: parseIp(to).n }, a);
  const [ip = '', length] = from.split('/');
  const p = parseIp(ip);
  return p.v === a.v && holds(prefixRange({ ...p, length: Number(length) }), a);
}
