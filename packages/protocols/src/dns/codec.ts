import { recordTypes } from '@praesidor/core/naming';
import { decodeData, encodeData } from './data.ts';
import { decodeName, encodeName, WireError } from './wire.ts';

export { encodeData } from './data.ts';
export { decodeName, encodeName, WireError } from './wire.ts';

/** DNS messages on the wire (RFC 1035 §4, RFC 2136). No sockets here. Every length is checked before it is believed. */

/** Numbers of types: those of the table of records, and those that are only asked or sign. */
export const typeCode: Readonly<Record<string, number>> = {
  ...Object.fromEntries(Object.entries(recordTypes).map(([name, t]) => [name, t.code])),
  TSIG: 250,
  AXFR: 252,
  ANY: 255,
};
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

export const rr = (name: string, type: string, ttl: number, value: string): Rr => ({
  name,
  type,
  class: classCode.IN,
  ttl,
  data: encodeData(type, value),
  value,
});

const codeOf = (type: string) => typeCode[type] ?? Number(type.replace(/^TYPE/, ''));

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
