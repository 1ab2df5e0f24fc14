import { formatIp, parseIp } from '@praesidor/core/address';

/** DNS messages on the wire (RFC 1035 §4, RFC 2136). No sockets here. Every length is checked before it is believed. */

export const typeCode = {
  A: 1,
  NS: 2,
  CNAME: 5,
  SOA: 6,
  PTR: 12,
  MX: 15,
  TXT: 16,
  AAAA: 28,
  SRV: 33,
  DNAME: 39,
  TSIG: 250,
  AXFR: 252,
  ANY: 255,
} as const;
export type TypeName = keyof typeof typeCode;
const typeName = new Map<number, string>(Object.entries(typeCode).map(([n, c]) => [c, n]));
export const classCode = { IN: 1, NONE: 254, ANY: 255 } as const;
export const opcode = { query: 0, update: 5 } as const;
export const rcodes = [
  'NOERROR',
  'FORMERR',
  'SERVFAIL',
  'NXDOMAIN',
  'NOTIMP',
  'REFUSED',
  'YXDOMAIN',
  'YXRRSET',
  'NXRRSET',
  'NOTAUTH',
  'NOTZONE',
] as const;

export interface Question {
  name: string;
  type: string;
  class: number;
}
export interface Rr {
  name: string;
  type: string;
  class: number;
  ttl: number;
  data: Buffer /** Text of the data, for types that we know. */;
  value?: string;
}
export interface Message {
  id: number;
  response: boolean;
  opcode: number;
  authoritative: boolean;
  truncated: boolean;
  recursionDesired: boolean;
  rcode: number;
  questions: Question[];
  answers: Rr[];
  authorities: Rr[];
  additionals: Rr[];
}

export class WireError extends Error {
  constructor(
    message: string,
    readonly offset: number,
  ) {
    super(`${message} at byte ${offset}`);
    this.name = 'WireError';
  }
}

export const message = (m: Partial<Message>): Message => ({
  id: 0,
  response: false,
  opcode: 0,
  authoritative: false,
  truncated: false,
  recursionDesired: false,
  rcode: 0,
  questions: [],
  answers: [],
  authorities: [],
  additionals: [],
  ...m,
});

/** The labels of a name as text, escapes read (RFC 1035 §5.1): a dot behind a backslash belongs to its label. */
function labelsOf(name: string): string[] {
  if (name === '') return [];
  if (!name.includes('\\')) return name.split('.');
  const read = (label: string) =>
    label.replace(/\\(\d{3}|[\s\S])/g, (_, c: string) => (c.length === 3 ? String.fromCharCode(Number(c) & 255) : c));
  return (name.match(/(?:\\\d{3}|\\[\s\S]|[^.\\])+|(?<=^|\.)(?=\.|$)/g) ?? []).map(read);
}
/** The text of a label from the wire: what would be read as something else is escaped. */
const labelText = (label: string) =>
  /^[a-z0-9_*-]*$/i.test(label)
    ? label
    : label.replace(/[^\x21-\x7e]|[.\\"();@$]/g, (c) =>
        c > ' ' && c < '\x7f' ? `\\${c}` : `\\${String(c.charCodeAt(0)).padStart(3, '0')}`,
      );

/** A name without compression, lower-case. @throws WireError for labels over 63 or names over 255 bytes. */
export function encodeName(name: string): Buffer {
  const labels = labelsOf(name.replace(/(?<!\\)\.$/, '').toLowerCase());
  const parts: Buffer[] = [];
  for (const label of labels) {
    const bytes = Buffer.from(label, 'latin1');
    if (bytes.length === 0 || bytes.length > 63)
      throw new WireError(`the label ${JSON.stringify(label.slice(0, 70))} has ${bytes.length} bytes, 1 to 63 are allowed`, 0);
    parts.push(Buffer.from([bytes.length]), bytes);
  }
  const out = Buffer.concat([...parts, Buffer.from([0])]);
  if (out.length > 255) throw new WireError('the name is longer than 255 bytes', 0);
  return out;
}

/** Reads a name, following compression pointers, which may only point backwards (so that a loop cannot be built). */
export function decodeName(b: Buffer, start: number): { name: string; next: number } {
  const labels: string[] = [];
  let at = start;
  let next = -1;
  let total = 0;
  let floor = start;
  for (;;) {
    const length = b[at];
    if (length === undefined) throw new WireError('the message ends inside a name', at);
    if (length === 0) {
      at++;
      break;
    }
    if ((length & 0xc0) === 0xc0) {
      const low = b[at + 1];
      if (low === undefined) throw new WireError('the message ends inside a pointer', at);
      const to = ((length & 0x3f) << 8) | low;
      if (to >= floor) throw new WireError('a compression pointer does not point backwards', at);
      if (next < 0) next = at + 2;
      at = to;
      floor = to;
      continue;
    }
    if (length & 0xc0) throw new WireError('an unknown kind of label', at);
    if (at + 1 + length > b.length) throw new WireError('the message ends inside a label', at);
    total += length + 1;
    if (total > 254) throw new WireError('a name longer than 255 bytes', at);
    labels.push(labelText(b.toString('latin1', at + 1, at + 1 + length).toLowerCase()));
    at += 1 + length;
  }
  return { name: labels.join('.'), next: next < 0 ? at : next };
}

/** Wire form of a record's data from its text. @throws Error when the text does not fit the type. */
export function encodeData(type: string, value: string): Buffer {
  switch (type) {
    case 'A':
    case 'AAAA': {
      const a = parseIp(value);
      if ((a.v === 4) !== (type === 'A')) throw new Error(`${value} does not fit ${type}`);
      const bytes = Buffer.alloc(a.v === 4 ? 4 : 16);
      for (let i = bytes.length - 1, n = a.n; i >= 0; i--, n >>= 8n) bytes[i] = Number(n & 255n);
      return bytes;
    }
    case 'NS':
    case 'CNAME':
    case 'PTR':
    case 'DNAME':
      return encodeName(value);
    case 'MX': {
      const [preference = '', host = ''] = value.split(/\s+/);
      const head = Buffer.alloc(2);
      head.writeUInt16BE(Number(preference), 0);
      return Buffer.concat([head, encodeName(host)]);
    }
    case 'TXT': {
      const bytes = Buffer.from(value, 'utf8');
      const parts: Buffer[] = [];
      for (let at = 0; at < bytes.length || at === 0; at += 255) {
        const part = bytes.subarray(at, at + 255);
        parts.push(Buffer.from([part.length]), part);
      }
      return Buffer.concat(parts);
    }
    case 'SRV': {
      const [priority = '', weight = '', port = '', name = ''] = value.split(/\s+/);
      const head = Buffer.alloc(6);
      for (const [i, n] of [priority, weight, port].entries()) head.writeUInt16BE(Number(n), i * 2);
      return Buffer.concat([head, encodeName(name)]);
    }
    case 'SOA': {
      const [server = '', contact = '', ...numbers] = value.split(/\s+/);
      const tail = Buffer.alloc(20);
      for (const [i, n] of numbers.slice(0, 5).entries()) tail.writeUInt32BE(Number(n) >>> 0, i * 4);
      return Buffer.concat([encodeName(server), encodeName(contact), tail]);
    }
    default: {
      // Data of types that we do not know, as they stand (RFC 3597 §5).
      const m = /^\\# (\d+)((?: ?[0-9a-f]{2})*)$/i.exec(value);
      const bytes = Buffer.from((m?.[2] ?? '').replaceAll(' ', ''), 'hex');
      if (!m || bytes.length !== Number(m[1])) throw new Error(`records of type ${type} are not written`);
      return bytes;
    }
  }
}

function decodeData(type: string, b: Buffer, at: number, end: number): string | undefined {
  const whole = (r: { name: string; next: number }) => {
    if (r.next !== end) throw new WireError('data longer than its name', at);
    return r.name;
  };
  switch (type) {
    case 'A':
    case 'AAAA': {
      const want = type === 'A' ? 4 : 16;
      if (end - at !== want) throw new WireError(`an ${type} record of ${end - at} bytes`, at);
      let n = 0n;
      for (let i = at; i < end; i++) n = (n << 8n) | BigInt(b[i] as number);
      return formatIp({ v: type === 'A' ? 4 : 6, n });
    }
    case 'NS':
    case 'CNAME':
    case 'PTR':
    case 'DNAME':
      return whole(decodeName(b, at));
    case 'MX':
      if (end - at < 3) throw new WireError('a short MX record', at);
      return `${b.readUInt16BE(at)} ${whole(decodeName(b, at + 2))}`;
    case 'TXT': {
      const parts: Buffer[] = [];
      for (let i = at; i < end; ) {
        const length = b[i] as number;
        if (i + 1 + length > end) throw new WireError('a text longer than its record', i);
        parts.push(b.subarray(i + 1, i + 1 + length));
        i += 1 + length;
      }
      return Buffer.concat(parts).toString('utf8');
    }
    case 'SRV':
      if (end - at < 7) throw new WireError('a short SRV record', at);
      return `${b.readUInt16BE(at)} ${b.readUInt16BE(at + 2)} ${b.readUInt16BE(at + 4)} ${whole(decodeName(b, at + 6))}`;
    case 'SOA': {
      const m = decodeName(b, at);
      const r = decodeName(b, m.next);
      if (r.next + 20 !== end) throw new WireError('an SOA record of a wrong length', at);
      return [m.name, r.name, ...[0, 4, 8, 12, 16].map((o) => b.readUInt32BE(r.next + o))].join(' ');
    }
    case 'TSIG':
      return undefined;
    default:
      return `\\# ${end - at} ${b.toString('hex', at, end)}`.trimEnd();
  }
}

export const rr = (name: string, type: string, ttl: number, value: string): Rr => ({
  name,
  type,
  class: classCode.IN,
  ttl,
  data: encodeData(type, value),
  value,
});

const codeOf = (type: string) => (typeCode as Record<string, number>)[type] ?? Number(type.replace(/^TYPE/, ''));

export function encodeRr(r: Rr): Buffer {
  const head = Buffer.alloc(10);
  head.writeUInt16BE(codeOf(r.type), 0);
  head.writeUInt16BE(r.class, 2);
  head.writeUInt32BE(r.ttl >>> 0, 4);
  head.writeUInt16BE(r.data.length, 8);
  return Buffer.concat([encodeName(r.name), head, r.data]);
}

export function encode(m: Message): Buffer {
  const head = Buffer.alloc(12);
  head.writeUInt16BE(m.id, 0);
  head.writeUInt16BE(
    (m.response ? 0x8000 : 0) |
      (m.opcode << 11) |
      (m.authoritative ? 0x400 : 0) |
      (m.truncated ? 0x200 : 0) |
      (m.recursionDesired ? 0x100 : 0) |
      m.rcode,
    2,
  );
  for (const [i, s] of [m.questions, m.answers, m.authorities, m.additionals].entries()) head.writeUInt16BE(s.length, 4 + i * 2);
  const questions = m.questions.map((q) => {
    const tail = Buffer.alloc(4);
    tail.writeUInt16BE(codeOf(q.type), 0);
    tail.writeUInt16BE(q.class, 2);
    return Buffer.concat([encodeName(q.name), tail]);
  });
  return Buffer.concat([head, ...questions, ...[...m.answers, ...m.authorities, ...m.additionals].map(encodeRr)]);
}

/** @throws WireError with the byte where the message stops making sense. */
export function decode(b: Buffer): Message {
  if (b.length < 12) throw new WireError('a message shorter than its header', b.length);
  const flags = b.readUInt16BE(2);
  const counts = [4, 6, 8, 10].map((o) => b.readUInt16BE(o));
  let at = 12;
  const questions: Question[] = [];
  for (let i = 0; i < (counts[0] as number); i++) {
    const { name, next } = decodeName(b, at);
    if (next + 4 > b.length) throw new WireError('the message ends inside a question', next);
    questions.push({
      name,
      type: typeName.get(b.readUInt16BE(next)) ?? `TYPE${b.readUInt16BE(next)}`,
      class: b.readUInt16BE(next + 2),
    });
    at = next + 4;
  }
  const section = (count: number): Rr[] => {
    const out: Rr[] = [];
    for (let i = 0; i < count; i++) {
      const { name, next } = decodeName(b, at);
      if (next + 10 > b.length) throw new WireError('the message ends inside a record', next);
      const type = typeName.get(b.readUInt16BE(next)) ?? `TYPE${b.readUInt16BE(next)}`;
      const length = b.readUInt16BE(next + 8);
      const from = next + 10;
      const end = from + length;
      if (end > b.length) throw new WireError(`a record says ${length} bytes and ${b.length - from} are left`, next + 8);
      const value = length ? decodeData(type, b, from, end) : undefined;
      out.push({
        name,
        type,
        class: b.readUInt16BE(next + 2),
        ttl: b.readUInt32BE(next + 4),
        data: Buffer.from(b.subarray(from, end)),
        ...(value === undefined ? {} : { value }),
      });
      at = end;
    }
    return out;
  };
  const answers = section(counts[1] as number);
  const authorities = section(counts[2] as number);
  const additionals = section(counts[3] as number);
  return {
    id: b.readUInt16BE(0),
    response: (flags & 0x8000) !== 0,
    opcode: (flags >> 11) & 15,
    authoritative: (flags & 0x400) !== 0,
    truncated: (flags & 0x200) !== 0,
    recursionDesired: (flags & 0x100) !== 0,
    rcode: flags & 15,
    questions,
    answers,
    authorities,
    additionals,
  };
}
