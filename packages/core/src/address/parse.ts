import ipaddr from 'ipaddr.js';

/** IPv4 and IPv6 on one representation: a version and an unsigned integer. */
export interface Address {
  v: 4 | 6;
  n: bigint;
}
export interface Prefix extends Address {
  length: number;
}
/** First and last address, both inside. */
export interface Range {
  v: 4 | 6;
  first: bigint;
  last: bigint;
}

export const bits = (v: 4 | 6) => (v === 4 ? 32 : 128);

const fromBytes = (bytes: number[]) => bytes.reduce((n, b) => (n << 8n) | BigInt(b), 0n);

/** What was read before: an estate says the same few thousand texts over and over. Bounded; the values are never changed. */
function memoizeByText<T>(read: (text: string) => T, most = 100_000): (text: string) => T {
  const memory = new Map<string, T>();
  return (text) => {
    let value = memory.get(text);
    if (value === undefined) {
      value = read(text);
      if (memory.size >= most) memory.clear();
      memory.set(text, value);
    }
    return value;
  };
}

/** @throws Error when the text is not one address in the usual notation (no octal, no short forms). */
export const parseIp: (text: string) => Address = memoizeByText(readIp);
function readIp(text: string): Address {
  const t = text.trim();
  if (ipaddr.IPv4.isValidFourPartDecimal(t)) return { v: 4, n: fromBytes(ipaddr.IPv4.parse(t).toByteArray()) };
  if (t.includes(':') && !t.includes('%') && ipaddr.IPv6.isValid(t))
    return { v: 6, n: fromBytes(ipaddr.IPv6.parse(t).toByteArray()) };
  throw new Error(`${JSON.stringify(text)} is not an address`);
}

export const isIp = (text: string): boolean => {
  if (!/^[\d.]+$|:/.test(text)) return false;
  try {
    parseIp(text);
    return true;
  } catch {
    return false;
  }
};

/** Text of an address; IPv6 as RFC 5952 says. */
export function formatIp({ v, n }: Address): string {
  const bytes: number[] = [];
  for (let i = bits(v) - 8; i >= 0; i -= 8) bytes.push(Number((n >> BigInt(i)) & 255n));
  return v === 4 ? bytes.join('.') : (ipaddr.fromByteArray(bytes) as ipaddr.IPv6).toRFC5952String();
}

/** @throws Error when the text is not a prefix, or has bits set behind its length. */
export const parsePrefix: (text: string) => Prefix = memoizeByText(readPrefix);
function readPrefix(text: string): Prefix {
  const [ip = '', len = '', more] = text.trim().split('/');
  const a = parseIp(ip);
  const length = /^\d{1,3}$/.test(len) ? Number(len) : -1;
  if (more !== undefined || length < 0 || length > bits(a.v)) throw new Error(`${JSON.stringify(text)} has no prefix length`);
  const host = BigInt(bits(a.v) - length);
  if ((a.n >> host) << host !== a.n)
    throw new Error(
      `${text} has address bits behind its length; its network is ${formatIp({ v: a.v, n: (a.n >> host) << host })}/${length}`,
    );
  return { ...a, length };
}

export const formatPrefix = (p: Prefix) => `${formatIp(p)}/${p.length}`;

/** `first-last`, a prefix, or one address. @throws Error when the ends are of two kinds or the wrong way round. */
export const parseRange: (text: string) => Range = memoizeByText(readRange);
function readRange(text: string): Range {
  if (text.includes('/')) return prefixRange(parsePrefix(text));
  const parts = text.split(/\s*(?:-|–|\.\.)\s*/);
  const a = parseIp(parts[0] ?? '');
  const b = parts.length > 1 ? parseIp(parts[1] ?? '') : a;
  if (parts.length > 2 || a.v !== b.v) throw new Error(`${JSON.stringify(text)} is not a range`);
  if (b.n < a.n) throw new Error(`the range ${text} ends before it begins`);
  return { v: a.v, first: a.n, last: b.n };
}

/** One address as a range. */
export const single = (text: string): Range => {
  const { v, n } = parseIp(text);
  return { v, first: n, last: n };
};

export const formatRange = (r: Range) => `${formatIp({ v: r.v, n: r.first })}-${formatIp({ v: r.v, n: r.last })}`;
export const prefixRange = (p: Prefix): Range => ({ v: p.v, first: p.n, last: p.n + (1n << BigInt(bits(p.v) - p.length)) - 1n });
export const contains = (outer: Range, inner: Range) =>
  outer.v === inner.v && outer.first <= inner.first && inner.last <= outer.last;
export const overlaps = (a: Range, b: Range) => a.v === b.v && a.first <= b.last && b.first <= a.last;
export const holds = (r: Range, a: Address) => r.v === a.v && r.first <= a.n && a.n <= r.last;
export const size = (r: Range) => r.last - r.first + 1n;

/** `count` addresses in a row, as text. @throws Error when they run over the end of the version's space. */
export function consecutive(start: Address, count: number): string[] {
  if (start.n + BigInt(count) > 1n << BigInt(bits(start.v)))
    throw new Error(`there are not ${count} addresses from ${formatIp(start)}`);
  return Array.from({ length: count }, (_, i) => formatIp({ v: start.v, n: start.n + BigInt(i) }));
}

/** How a typed list of servers was understood. Commas, spaces, semicolons and new lines separate alike. */
export interface UnderstoodList {
  servers: string[];
  rejected: string[];
  asTyped: boolean;
}
/**
 * Words of one text. A pasted resolver or time-server file is read as such: comments and the lines that name no
 * server are left out, and of `server 10.0.0.1 iburst` the address is what counts.
 */
function wordsOf(text: string): string[] {
  const lines = text.split('\n').map((l) => l.replace(/(^|\s)[#;](\s.*|$)/, ' ').trim());
  const file = lines.some((l) => /^(nameserver|server|pool|peer)\s/i.test(l));
  return lines.flatMap((l) => {
    if (!file) return l.split(/[\s,;]+/).filter(Boolean);
    const m = /^(?:nameserver|server|pool|peer)\s+(\S+)/i.exec(l);
    return m?.[1] ? [m[1]] : [];
  });
}

export function serverList(raw: string | readonly string[]): UnderstoodList {
  const texts = typeof raw === 'string' ? [raw] : raw;
  if (typeof raw !== 'string' && texts.every(isIp))
    return { servers: [...new Set(texts.map((w) => formatIp(parseIp(w))))], rejected: [], asTyped: true };
  const words = texts.flatMap(wordsOf);
  return {
    servers: [...new Set(words.filter(isIp).map((w) => formatIp(parseIp(w))))],
    rejected: words.filter((w) => !isIp(w)),
    asTyped: typeof raw !== 'string' && texts.every(isIp),
  };
}
