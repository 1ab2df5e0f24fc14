import { overlaps, parsePrefix, prefixRange, contains, type Range } from './parse.ts';

const list = (of: readonly (readonly [prefix: string, what: string])[]) =>
  of.map(([prefix, what]) => ({ prefix, what, range: prefixRange(parsePrefix(prefix)) }));

/** Addresses that machines keep for themselves and never route (RFC 6890, RFC 4291). */
const special = list([
  ['0.0.0.0/8', 'addresses of “this network”'],
  ['127.0.0.0/8', 'loopback addresses'],
  ['169.254.0.0/16', 'link-local addresses'],
  ['224.0.0.0/4', 'multicast addresses'],
  ['240.0.0.0/4', 'reserved addresses'],
  ['::/127', 'loopback addresses'],
  ['fe80::/10', 'link-local addresses'],
  ['ff00::/8', 'multicast addresses'],
]);
/** Addresses that nobody on the internet has: RFC 1918, RFC 6598, RFC 2544, RFC 4193, and those for documents (RFC 5737, RFC 3849). */
const privates = list([
  ['10.0.0.0/8', ''],
  ['172.16.0.0/12', ''],
  ['192.168.0.0/16', ''],
  ['100.64.0.0/10', ''],
  ['198.18.0.0/15', ''],
  ['192.0.2.0/24', ''],
  ['198.51.100.0/24', ''],
  ['203.0.113.0/24', ''],
  ['fc00::/7', ''],
  ['2001:db8::/32', ''],
]);

/** What special addresses a range shares, where it shares any. */
export const specialIn = (r: Range): { prefix: string; what: string } | undefined => special.find((s) => overlaps(s.range, r));
/** Whether a range lies wholly in private addresses. */
export const isPrivate = (r: Range): boolean => privates.some((p) => contains(p.range, r));
