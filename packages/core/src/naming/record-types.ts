import { formatIp, isIp, parseIp } from '../address/parse.ts';
import { locFault, locNormal } from './loc.ts';
import { absoluteName, nameFault } from './names.ts';
import { paramFault, paramNormal } from './service-params.ts';

/**
 * One part of a record's data. `name` is a domain name; `u8` to `u32` whole numbers; `time` seconds, also as `1h30m`;
 * `string` a character string of at most 255 bytes; `strings` one or more; `tag` a string without quotes; `text` the rest
 * as one string without a length; `hex` and `base64` the rest, blanks ignored; `params` and `loc` as their RFC has them.
 */
export type FieldKind =
  | 'ip4'
  | 'ip6'
  | 'name'
  | 'u8'
  | 'u16'
  | 'u32'
  | 'time'
  | 'string'
  | 'strings'
  | 'tag'
  | 'text'
  | 'hex'
  | 'base64'
  | 'params'
  | 'loc';
export interface RecordType {
  code: number;
  fields: readonly [kind: FieldKind, what: string][];
  /** Whether people plan records of it; the others are the server's own, or a signer's. */
  plan: boolean;
  source: string;
}

/**
 * Every type whose data is understood: its number, its parts in order, whether it can be planned. Reading and writing
 * master files, the wire, planning and the schema of records by hand all go by this table; a new type is a line.
 */
export const recordTypes: Readonly<Record<string, RecordType>> = {
  A: { code: 1, fields: [['ip4', 'an IPv4 address']], plan: true, source: 'RFC 1035 §3.4.1' },
  NS: { code: 2, fields: [['name', 'a server']], plan: true, source: 'RFC 1035 §3.3.11' },
  CNAME: { code: 5, fields: [['name', 'a name']], plan: true, source: 'RFC 1035 §3.3.1' },
  SOA: {
    code: 6,
    fields: [
      ['name', 'server'],
      ['name', 'contact'],
      ['u32', 'serial'],
      ['time', 'refresh'],
      ['time', 'retry'],
      ['time', 'expire'],
      ['time', 'minimum'],
    ],
    plan: false,
    source: 'RFC 1035 §3.3.13',
  },
  PTR: { code: 12, fields: [['name', 'a name']], plan: true, source: 'RFC 1035 §3.3.12' },
  HINFO: {
    code: 13,
    fields: [
      ['string', 'processor'],
      ['string', 'system'],
    ],
    plan: true,
    source: 'RFC 1035 §3.3.2',
  },
  MX: {
    code: 15,
    fields: [
      ['u16', 'preference'],
      ['name', 'host'],
    ],
    plan: true,
    source: 'RFC 1035 §3.3.9',
  },
  TXT: { code: 16, fields: [['strings', 'texts']], plan: true, source: 'RFC 1035 §3.3.14' },
  RP: {
    code: 17,
    fields: [
      ['name', 'mailbox'],
      ['name', 'name of its text'],
    ],
    plan: true,
    source: 'RFC 1183 §2.2',
  },
  AAAA: { code: 28, fields: [['ip6', 'an IPv6 address']], plan: true, source: 'RFC 3596 §2.2' },
  LOC: { code: 29, fields: [['loc', 'latitude, longitude, altitude, size and precision']], plan: true, source: 'RFC 1876' },
  SRV: {
    code: 33,
    fields: [
      ['u16', 'priority'],
      ['u16', 'weight'],
      ['u16', 'port'],
      ['name', 'host'],
    ],
    plan: true,
    source: 'RFC 2782',
  },
  NAPTR: {
    code: 35,
    fields: [
      ['u16', 'order'],
      ['u16', 'preference'],
      ['string', 'flags'],
      ['string', 'services'],
      ['string', 'regular expression'],
      ['name', 'replacement'],
    ],
    plan: true,
    source: 'RFC 3403 §4.1',
  },
  DNAME: { code: 39, fields: [['name', 'a name']], plan: true, source: 'RFC 6672' },
  DS: {
    code: 43,
    fields: [
      ['u16', 'key tag'],
      ['u8', 'algorithm'],
      ['u8', 'digest type'],
      ['hex', 'digest'],
    ],
    plan: true,
    source: 'RFC 4034 §5',
  },
  SSHFP: {
    code: 44,
    fields: [
      ['u8', 'algorithm'],
      ['u8', 'fingerprint type'],
      ['hex', 'fingerprint'],
    ],
    plan: true,
    source: 'RFC 4255 §3.1',
  },
  DNSKEY: {
    code: 48,
    fields: [
      ['u16', 'flags'],
      ['u8', 'protocol'],
      ['u8', 'algorithm'],
      ['base64', 'key'],
    ],
    plan: false,
    source: 'RFC 4034 §2',
  },
  TLSA: {
    code: 52,
    fields: [
      ['u8', 'usage'],
      ['u8', 'selector'],
      ['u8', 'matching type'],
      ['hex', 'certificate data'],
    ],
    plan: true,
    source: 'RFC 6698 §2',
  },
  SVCB: {
    code: 64,
    fields: [
      ['u16', 'priority'],
      ['name', 'target'],
      ['params', 'parameters'],
    ],
    plan: true,
    source: 'RFC 9460',
  },
  HTTPS: {
    code: 65,
    fields: [
      ['u16', 'priority'],
      ['name', 'target'],
      ['params', 'parameters'],
    ],
    plan: true,
    source: 'RFC 9460',
  },
  SPF: { code: 99, fields: [['strings', 'texts']], plan: false, source: 'RFC 7208 §3.1' },
  CAA: {
    code: 257,
    fields: [
      ['u8', 'flags'],
      ['tag', 'tag'],
      ['text', 'value'],
    ],
    plan: true,
    source: 'RFC 8659 §4',
  },
};
export const plannable = Object.keys(recordTypes).filter((t) => recordTypes[t]?.plan);
export const unknownType = /^TYPE\d{1,5}$/;

export interface DataFault {
  code: 'address' | 'name' | 'value';
  message: string;
  /** Index of the word that is wrong, from the first of the data. */
  at: number;
}
/** A word of a master file or of a value: quotes taken off, escapes as they stand. */
export interface Words {
  length: number;
  word: (i: number) => string;
  quoted: (i: number) => boolean;
}

const open = new Set<FieldKind>(['strings', 'hex', 'base64', 'params', 'loc', 'text']);
const most = { u8: 255, u16: 65_535, u32: 4_294_967_295 } as const;

/**
 * The data of a record from its words, in one way of writing it: names absolute and without a final dot (a dot alone is
 * the root), numbers without leading zeros, strings in quotes. A TXT of one string that fits stands as it is, without quotes.
 */
export function readData(type: string, words: Words, absolute: (w: string) => string): string | DataFault {
  const known = recordTypes[type];
  if (!known) return readUnknown(words);
  const { fields } = known;
  const data = () => (fields.length > 1 ? `; the data is ${fields.map(([, what]) => what).join(', ')}` : '');
  const last = fields[fields.length - 1] as RecordType['fields'][number];
  const least = last[0] === 'params' ? fields.length - 1 : fields.length;
  if (words.length < least)
    return { code: 'value', message: `${type} has ${words.length} of ${least} parts of its data${data()}`, at: words.length };
  if (words.length > fields.length && !open.has(last[0]))
    return {
      code: 'value',
      message: `${type} has ${fields.length === 1 ? 'one part' : `${fields.length} parts`} of data; ${words.word(fields.length)} is too much`,
      at: fields.length,
    };
  let out = '';
  for (let i = 0; i < fields.length; i++) {
    const [kind, what] = fields[i] as RecordType['fields'][number];
    const part = open.has(kind) ? readRest(kind, words, i) : readField(kind, what, words, i, absolute);
    if (typeof part !== 'string') return { ...part, message: `${part.message}${part.code === 'value' ? data() : ''}` };
    if (part !== '' || i === 0) out = i ? `${out} ${part}` : part;
  }
  return out;
}

function readField(kind: FieldKind, what: string, words: Words, i: number, absolute: (w: string) => string): string | DataFault {
  const w = words.word(i);
  switch (kind) {
    case 'ip4':
      return isV4(w) ? w : { code: 'address', message: `${w} is not an IPv4 address`, at: i };
    case 'ip6':
      return w.includes(':') && isIp(w) && !w.includes('%')
        ? formatIp(parseIp(w))
        : { code: 'address', message: `${w} is not an IPv6 address`, at: i };
    case 'name': {
      const name = absolute(w);
      const fault = nameFault(name);
      return fault ? { code: 'name', message: fault, at: i } : name || '.';
    }
    case 'u8':
    case 'u16':
    case 'u32': {
      const n = /^\d{1,10}$/.test(w) ? Number(w) : Number.NaN;
      return n <= most[kind]
        ? String(n)
        : { code: 'value', message: `${w} is not a number from 0 to ${most[kind]} (${what})`, at: i };
    }
    case 'time': {
      const n = seconds(w);
      return n === undefined ? { code: 'value', message: `${w} is not a number (${what})`, at: i } : String(n);
    }
    case 'tag':
      return /^[A-Za-z0-9]{1,255}$/.test(w)
        ? w.toLowerCase()
        : { code: 'value', message: `${w} is not a tag of letters and digits`, at: i };
    default: {
      const bytes = stringBytes(w);
      return bytes.length > 255
        ? { code: 'value', message: `a string has at most 255 bytes, not ${bytes.length} (${what})`, at: i }
        : quotedString(bytes);
    }
  }
}

function readRest(kind: FieldKind, words: Words, from: number): string | DataFault {
  const rest = Array.from({ length: words.length - from }, (_, i) => words.word(from + i));
  switch (kind) {
    case 'strings': {
      const parts = rest.map(stringBytes);
      const long = parts.findIndex((p) => p.length > 255);
      if (long >= 0 && words.quoted(from + long))
        return {
          code: 'value',
          message: `a string has at most 255 bytes, not ${parts[long]?.length}; divide it`,
          at: from + long,
        };
      return textOf(parts);
    }
    case 'text': {
      if (rest.length > 1) return { code: 'value', message: `${rest[1]} is too much; put the value into quotes`, at: from + 1 };
      return quotedString(stringBytes(rest[0] as string));
    }
    case 'hex': {
      const digits = rest.join('').toUpperCase();
      return /^([0-9A-F]{2})+$/.test(digits) ? digits : { code: 'value', message: 'pairs of hex digits are expected', at: from };
    }
    case 'base64': {
      const text = rest.join('');
      return /^(?:[A-Za-z0-9+/]{4})*(?:[A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?$/.test(text) && text
        ? text
        : { code: 'value', message: 'base64 is expected', at: from };
    }
    case 'params': {
      const fault = paramFault(rest);
      return fault ? { code: 'value', message: fault.message, at: from + fault.at } : paramNormal(rest);
    }
    default: {
      const fault = locFault(rest);
      return fault ? { code: 'value', message: fault.message, at: from + fault.at } : locNormal(rest);
    }
  }
}

/** Data of a type that is not known: `\# <length> <hex>` (RFC 3597 §5). */
function readUnknown(words: Words): string | DataFault {
  const rest = Array.from({ length: words.length }, (_, i) => words.word(i));
  const hex = rest.slice(2).join('').toLowerCase();
  if (rest[0] !== '\\#' || !/^\d{1,5}$/.test(rest[1] ?? ''))
    return { code: 'value', message: 'data of a type that is not known is written \\# length hex', at: 0 };
  if (!/^([0-9a-f]{2})*$/.test(hex) || hex.length / 2 !== Number(rest[1]))
    return { code: 'value', message: `${rest[1]} bytes are announced, ${hex.length / 2} are there`, at: 1 };
  return hex ? `\\# ${Number(rest[1])} ${hex}` : '\\# 0';
}

// ── values by themselves ─────────────────────────────────────────────────────────────────────────────────────────

/** The words of a value as it stands in a document or came from the wire. Undefined: a quotation mark is not closed. */
export function wordsOf(value: string): (Words & { list: { text: string; quoted: boolean }[] }) | undefined {
  const list: { text: string; quoted: boolean }[] = [];
  const pattern = /\s*(?:"((?:\\[\s\S]|[^"\\])*)"|((?:\\[\s\S]|[^\s"\\])+))/gy;
  let at = 0;
  while (at < value.length && /\S/.test(value.slice(at))) {
    pattern.lastIndex = at;
    const m = pattern.exec(value);
    if (!m) return undefined;
    list.push(m[1] === undefined ? { text: m[2] as string, quoted: false } : { text: m[1], quoted: true });
    at = pattern.lastIndex;
  }
  return {
    list,
    length: list.length,
    word: (i) => list[i]?.text ?? '',
    quoted: (i) => list[i]?.quoted ?? false,
  };
}

/**
 * The value of a record by hand, as it is kept: a name without a final dot is absolute when it has several labels, and one
 * of the zone when it has one. A TXT without quotation marks at its beginning is one text, whatever is in it.
 *
 * @example
 * plannedValue('MX', '10 mail', 'lr.example') // { value: '10 mail.lr.example' }
 * plannedValue('A', '10.62.8.300', 'lr.example') // { fault: '10.62.8.300 is not an IPv4 address' }
 */
export function plannedValue(type: string, value: string, zone: string): { value: string } | { fault: string } {
  if (!recordTypes[type] && !unknownType.test(type)) return { fault: `${type} is not a type of record that is known` };
  if (recordTypes[type]?.fields[0]?.[0] === 'strings' && !value.startsWith('"'))
    return { value: textOf([new TextEncoder().encode(value)]) };
  const known = recordTypes[type];
  const words = wordsOf(value);
  if (!words) return { fault: 'a quotation mark is not closed' };
  const absolute = (word: string) => {
    if (word === '@') return zone;
    // What a master file would read as something else is escaped: here it can only have been meant as it stands.
    const w = word.replace(/\\(?:\d{3}|[\s\S])|[^\\]/g, (c) => (c.length > 1 || /[A-Za-z0-9_.*/-]/.test(c) ? c : `\\${c}`));
    if (w.endsWith('.')) return absoluteName(w, '');
    return absoluteName(`${w}.`, '').includes('.') ? absoluteName(`${w}.`, '') : absoluteName(w, zone);
  };
  if (known?.fields.some(([k]) => k === 'name') && /[^ -~]/.test(value))
    return { fault: 'names are plain ASCII here; write others as IDNA has them' };
  const read = readData(type, words, absolute);
  return typeof read === 'string' ? { value: read } : { fault: read.message };
}

/** The parts of a value in our way of writing, by the table; for writing them in another form. @throws Error when they are not */
export function partsOf(type: string, value: string): { kind: FieldKind; text: string }[] {
  const known = recordTypes[type];
  if (!known) throw new Error(`records of type ${type} are kept as they stand`);
  const [first] = known.fields as [RecordType['fields'][number]];
  if (first[0] === 'strings') return textParts(value).map((b) => ({ kind: 'string' as const, text: latin(b) }));
  const words = wordsOf(value);
  if (!words) throw new Error(`${value} is not data of a ${type} record`);
  return known.fields.flatMap(([kind], i): { kind: FieldKind; text: string }[] => {
    if (kind === 'params' || kind === 'loc')
      return [
        {
          kind,
          text: words.list
            .slice(i)
            .map((w) => (w.quoted ? `"${w.text}"` : w.text))
            .join(' '),
        },
      ];
    const w = words.list[i];
    if (!w) throw new Error(`${value} is not data of a ${type} record`);
    return [{ kind, text: kind === 'string' || kind === 'text' ? latin(stringBytes(w.text)) : w.text }];
  });
}

/** The data as it stands in a master file: every name absolute with its dot, every string in quotes. */
export function writeData(type: string, value: string): string {
  const known = recordTypes[type];
  if (!known) return value;
  if (known.fields.length === 1 && known.fields[0]?.[0] === 'name') return dotted(value);
  if (type === 'A' || type === 'AAAA') return value;
  return partsOf(type, value)
    .map(({ kind, text }) =>
      kind === 'name' ? dotted(text) : kind === 'string' || kind === 'text' ? quotedString(fromLatin(text)) : text,
    )
    .join(' ')
    .trimEnd();
}
const dotted = (name: string) => (name.endsWith('.') && !name.endsWith('\\.') ? name : `${name}.`);

/** The name of a host that data of these types ends in; undefined for the others. */
export function targetOf(type: string, value: string): string | undefined {
  const known = recordTypes[type];
  const at = known?.fields.findIndex(([k]) => k === 'name') ?? -1;
  if (!known || at < 0 || type === 'SOA' || type === 'RP') return undefined;
  const name = known.fields.length === 1 ? value : value.split(' ')[at];
  return name === '.' || name === '' ? undefined : name;
}

// ── strings ──────────────────────────────────────────────────────────────────────────────────────────────────────

/** The bytes of a string with its escapes read: \DDD is a byte, anything else is UTF-8. */
export function stringBytes(text: string): Uint8Array {
  if (!text.includes('\\')) return new TextEncoder().encode(text);
  const bytes: number[] = [];
  for (const [, ddd, c, plain] of text.matchAll(/\\(\d{3})|\\([\s\S])|([^\\]+)/gu))
    if (ddd) bytes.push(Number(ddd) & 255);
    else bytes.push(...new TextEncoder().encode(c ?? plain ?? ''));
  return Uint8Array.from(bytes);
}
/** Bytes in quotes, everything that is not plain ASCII escaped. */
export const quotedString = (bytes: Uint8Array): string =>
  `"${[...bytes]
    .map((b) =>
      b === 34 || b === 92
        ? `\\${String.fromCharCode(b)}`
        : b >= 32 && b < 127
          ? String.fromCharCode(b)
          : `\\${String(b).padStart(3, '0')}`,
    )
    .join('')}"`;

/** Bytes as text of one character each; lossless. */
const latin = (bytes: Uint8Array) => String.fromCharCode(...bytes);
const fromLatin = (text: string) => Uint8Array.from([...text].map((c) => c.charCodeAt(0)));

const decoder = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });
/** Strings as one value: one that is text, fits, and does not look quoted stands as it is; otherwise each in quotes. */
export function textOf(parts: readonly Uint8Array[]): string {
  const [only] = parts;
  if (parts.length === 1 && only && only.length <= 255) {
    try {
      const text = decoder.decode(only);
      if (!text.startsWith('"') && !/\p{Cc}/u.test(text)) return text;
    } catch {
      /* bytes that are no text stand escaped */
    }
  }
  const cut = parts.flatMap((p) =>
    p.length ? Array.from({ length: Math.ceil(p.length / 255) }, (_, i) => p.subarray(i * 255, i * 255 + 255)) : [p],
  );
  return cut.map(quotedString).join(' ');
}
/** The strings of a value as {@link textOf} writes it. */
export function textParts(value: string): Uint8Array[] {
  if (value.startsWith('"')) {
    const words = wordsOf(value);
    if (words?.list.every((w) => w.quoted)) return words.list.map((w) => stringBytes(w.text));
  }
  const bytes = new TextEncoder().encode(value);
  return bytes.length
    ? Array.from({ length: Math.ceil(bytes.length / 255) }, (_, i) => bytes.subarray(i * 255, i * 255 + 255))
    : [bytes];
}

// ── numbers and addresses ────────────────────────────────────────────────────────────────────────────────────────

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
export function seconds(text: string): number | undefined {
  if (/^\d{1,10}$/.test(text)) return Number(text) <= 4_294_967_295 ? Number(text) : undefined;
  if (!/^(\d{1,9}[smhdw])+$/i.test(text)) return undefined;
  let total = 0;
  for (const [, n, u] of text.matchAll(/(\d+)([smhdw])/gi)) total += Number(n) * (units[(u as string).toLowerCase()] as number);
  return total <= 4_294_967_295 ? total : undefined;
}
