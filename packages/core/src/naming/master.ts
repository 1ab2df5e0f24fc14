import { formatIp, isIp, parseIp } from '../address/parse.ts';
import type { ServedRecord } from '../model/observed.ts';
import { Scanner } from './scan.ts';

/** A record as it stands in a master file, with the line it began at. */
export interface MasterRecord extends ServedRecord {
  line: number;
}

/** What is wrong with a file or a zone. Codes are a closed set; words come last. */
export interface ZoneProblem {
  line: number;
  column: number;
  code:
    | 'syntax'
    | 'include'
    | 'directive'
    | 'class'
    | 'type'
    | 'name'
    | 'address'
    | 'value'
    | 'ttl'
    | 'limit'
    | 'outside'
    | 'cname'
    | 'dangling'
    | 'wildcard'
    | 'soa'
    | 'ns'
    | 'twice'
    | 'pair'
    | 'serial';
  severity: 'stop' | 'mind' | 'note';
  message: string;
}

export interface MasterFile {
  records: MasterRecord[];
  problems: ZoneProblem[];
  /** How many problems there are; only the first ones are listed. */
  problemCount: number;
}

export const masterLimits = { line: 64_000, records: 5_000_000, problems: 1000 } as const;

/** Types whose data we understand; others are kept as they stand, and said. */
const types = new Set([
  'A',
  'AAAA',
  'NS',
  'CNAME',
  'PTR',
  'DNAME',
  'MX',
  'SRV',
  'TXT',
  'SPF',
  'SOA',
  'CAA',
  'TLSA',
  'SSHFP',
  'HINFO',
  'DS',
  'DNSKEY',
]);
const classes = new Set(['IN', 'CH', 'HS', 'CS']);

/**
 * Reads a master file (RFC 1035 §5, with $TTL of RFC 2308 and unknown types of RFC 3597). Names come out
 * absolute, in lower case and without the final dot. Every fault is collected with its line and column; the
 * record it stands in is left out, and nothing else. $INCLUDE is refused: a zone that is uploaded must not read
 * files of this machine.
 */
export function readMaster(text: string, origin: string, defaultTtl = 3600): MasterFile {
  const out: MasterFile = { records: [], problems: [], problemCount: 0 };
  const scan = new Scanner(text, masterLimits.line);
  let base = plain(origin);
  let ttl: number | undefined;
  let lastTtl = defaultTtl;
  let owner: string | undefined;
  /** The same owner and target texts come over and over: made absolute once. */
  let seenText = '';
  let seenName = '';
  const problem = (code: ZoneProblem['code'], message: string, at = 0, severity: ZoneProblem['severity'] = 'stop') => {
    out.problemCount++;
    if (out.problems.length < masterLimits.problems) out.problems.push({ ...scan.place(at), code, severity, message });
  };
  const absolute = (word: string): string => {
    if (word === seenText) return seenName;
    const name = absoluteName(word, base);
    seenText = word;
    seenName = name;
    return name;
  };
  while (scan.next()) {
    const words = scan.words;
    if (scan.fault) {
      problem('syntax', scan.fault.message, scan.fault.at);
      continue;
    }
    const first = words[0] as string;
    if (first.charCodeAt(0) === 36 && !scan.blank) {
      const directive = first.toUpperCase();
      if (directive === '$ORIGIN') {
        const fault = words[1] === undefined ? '$ORIGIN needs a name' : nameFault(absolute(words[1]));
        if (fault) problem('name', fault, 1);
        else base = absolute(words[1] as string);
        seenText = '';
      } else if (directive === '$TTL') {
        const value = seconds(words[1] ?? '');
        if (value === undefined) problem('ttl', `${words[1] ?? 'nothing'} is not a time in seconds`, 1);
        else ttl = value;
      } else if (directive === '$INCLUDE')
        problem('include', `$INCLUDE ${words[1] ?? ''} is not followed: put the content here; other files are not read`);
      else problem('directive', `${first} is not known; $ORIGIN and $TTL are`);
      continue;
    }
    let at = 0;
    if (!scan.blank) {
      const name = absolute(first);
      const fault = nameFault(name);
      owner = fault ? undefined : name;
      if (fault) {
        problem('name', fault);
        continue;
      }
      at = 1;
    }
    if (owner === undefined) {
      problem('name', 'the line begins with a blank, but there is no name before it to go on with');
      continue;
    }
    let own: number | undefined;
    let type = '';
    for (; at < words.length; at++) {
      const word = words[at] as string;
      const code = word.charCodeAt(0);
      if (own === undefined && code >= 48 && code <= 57) {
        own = seconds(word);
        if (own === undefined) break;
        continue;
      }
      const upper = word.toUpperCase();
      if (upper === 'IN') continue;
      if (classes.has(upper)) {
        type = '-';
        problem('class', `class ${upper} is not kept: only IN is`, at);
        break;
      }
      type = upper;
      at++;
      break;
    }
    if (type === '-') continue;
    if (!type) {
      problem('type', `${owner} has no type${at < words.length ? `: ${words[at]} is neither a time nor a type` : ''}`, at);
      continue;
    }
    if (!types.has(type) && !/^TYPE\d{1,5}$/.test(type)) {
      problem('type', `${type} is not a type of record that is known`, at - 1);
      continue;
    }
    const value = dataOf(type, words, at, absolute, scan);
    if (typeof value !== 'string') {
      problem(value.code, value.message, Math.min(at + (value.at ?? 0), words.length - 1));
      continue;
    }
    if (own !== undefined) lastTtl = own;
    if (out.records.length >= masterLimits.records) {
      problem('limit', `more than ${masterLimits.records} records`);
      break;
    }
    out.records.push({ name: owner, type, ttl: own ?? ttl ?? lastTtl, value, line: scan.line });
  }
  return out;
}

interface Wrong {
  code: ZoneProblem['code'];
  message: string;
  at?: number;
}
type Reader = (words: readonly string[], from: number, absolute: (w: string) => string, scan: Scanner) => string | Wrong;

const named: Reader = (words, from, absolute) => {
  const name = absolute(words[from] as string);
  const fault = nameFault(name);
  return fault ? { code: 'name', message: fault } : name;
};
const numbers =
  (count: number, labels: string, then: Reader): Reader =>
  (words, from, absolute, scan) => {
    for (let i = 0; i < count; i++)
      if (!/^\d{1,5}$/.test(words[from + i] ?? '') || Number(words[from + i]) > 65535)
        return {
          code: 'value',
          message: `${words[from + i] ?? 'nothing'} is not a number from 0 to 65535; the data is ${labels}`,
          at: i,
        };
    if (words[from + count] === undefined) return { code: 'value', message: `the data is ${labels}`, at: count };
    const rest = then(words, from + count, absolute, scan);
    return typeof rest === 'string'
      ? `${words
          .slice(from, from + count)
          .map(Number)
          .join(' ')} ${rest}`
      : { ...rest, at: count };
  };
const raw: Reader = (words, from, _absolute, scan) =>
  words
    .slice(from)
    .map((w, i) => (scan.quoted(from + i) ? `"${w}"` : w))
    .join(' ');
const texts: Reader = (words, from) => words.slice(from).map(readEscapes).join('');

/** How many words the data of a type has at least and at most, and how they are read. */
const data: Record<string, [number, number, Reader]> = {
  A: [
    1,
    1,
    (words, from) =>
      isV4(words[from] as string)
        ? (words[from] as string)
        : { code: 'address', message: `${words[from]} is not an IPv4 address` },
  ],
  AAAA: [
    1,
    1,
    (words, from) => {
      const w = words[from] as string;
      return w.includes(':') && isIp(w) ? formatIp(parseIp(w)) : { code: 'address', message: `${w} is not an IPv6 address` };
    },
  ],
  NS: [1, 1, named],
  CNAME: [1, 1, named],
  PTR: [1, 1, named],
  DNAME: [1, 1, named],
  MX: [2, 2, numbers(1, 'preference and host', named)],
  SRV: [4, 4, numbers(3, 'priority, weight, port and host', named)],
  TXT: [1, 10_000, texts],
  SPF: [1, 10_000, texts],
  SOA: [
    7,
    7,
    (words, from, absolute) => {
      const names = [words[from] as string, words[from + 1] as string].map(absolute);
      const times = words.slice(from + 2, from + 7).map(seconds);
      const wrong = times.indexOf(undefined);
      return wrong < 0
        ? [...names, ...times].join(' ')
        : {
            code: 'value',
            message: `${words[from + 2 + wrong]} is not a number; the data is server, contact, serial, refresh, retry, expire, minimum`,
            at: 2 + wrong,
          };
    },
  ],
};

function dataOf(
  type: string,
  words: readonly string[],
  from: number,
  absolute: (w: string) => string,
  scan: Scanner,
): string | Wrong {
  const [least, most, read] = data[type] ?? [1, 10_000, raw];
  const count = words.length - from;
  if (count < least) return { code: 'value', message: `${type} has ${count} of ${least} parts of its data` };
  if (count > most)
    return {
      code: 'value',
      message: `${type} has ${most === 1 ? 'one part' : `${most} parts`} of data; ${words[from + most]} is too much`,
      at: most,
    };
  return read(words, from, absolute, scan);
}

/** A quick look at four octets; leading zeros are refused, as some read them in base eight. */
export function isV4(text: string): boolean {
  let octet = -1;
  let dots = 0;
  for (let i = 0; i < text.length; i++) {
    const c = text.charCodeAt(i);
    if (c === 46) {
      if (octet < 0) return false;
      dots++;
      octet = -1;
    } else if (c >= 48 && c <= 57) {
      if (octet === 0) return false;
      octet = (octet < 0 ? 0 : octet * 10) + c - 48;
      if (octet > 255) return false;
    } else return false;
  }
  return dots === 3 && octet >= 0;
}

const units: Record<string, number> = { s: 1, m: 60, h: 3600, d: 86_400, w: 604_800 };
/** Seconds of `3600`, `1h` or `1d12h`; undefined when it is none, or more than 32 bits hold. */
function seconds(text: string): number | undefined {
  if (/^\d{1,10}$/.test(text)) return Number(text) <= 4_294_967_295 ? Number(text) : undefined;
  if (!/^(\d{1,9}[smhdw])+$/i.test(text)) return undefined;
  let total = 0;
  for (const [, n, u] of text.matchAll(/(\d+)([smhdw])/gi)) total += Number(n) * (units[(u as string).toLowerCase()] as number);
  return total <= 4_294_967_295 ? total : undefined;
}

const plain = (name: string) => name.toLowerCase().replace(/\.$/, '');
function absoluteName(word: string, origin: string): string {
  if (word === '@') return origin;
  const low = word.toLowerCase();
  if (low.charCodeAt(low.length - 1) === 46 && !low.endsWith('\\.')) return low.slice(0, -1);
  return origin ? `${low}.${origin}` : low;
}

/** What is wrong with a name's labels (RFC 1035 §2.3.4), or nothing. Escaped characters count as one. */
export function nameFault(name: string): string | undefined {
  if (name.length <= 63 && !name.includes('\\')) {
    // Short names can only have empty labels against them.
    return name === '' || (name.charCodeAt(0) !== 46 && !name.includes('..')) ? undefined : `${name} has an empty label`;
  }
  const bare = name.replace(/\\(\d{3}|.)/g, 'x');
  if (bare.length > 253) return `the name has ${bare.length} characters; 253 are allowed`;
  for (const label of bare.split('.')) {
    if (!label) return `${name.slice(0, 80)} has an empty label`;
    if (label.length > 63) return `the label ${label.slice(0, 20)}… has ${label.length} characters; 63 are allowed`;
  }
  return undefined;
}

/** A text with its escapes read; \\DDD are bytes, and bytes together are UTF-8 where they can be. */
function readEscapes(text: string): string {
  if (!text.includes('\\')) return text;
  const bytes = [...text.matchAll(/\\(\d{3})|\\([\s\S])|([\s\S])/gu)].flatMap(([, ddd, c, plainly]) =>
    ddd ? [Number(ddd) & 255] : [...new TextEncoder().encode(c ?? plainly ?? '')],
  );
  return new TextDecoder().decode(Uint8Array.from(bytes));
}
