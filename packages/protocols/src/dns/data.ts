import { formatIp, parseIp } from '@praesidor/core/address';
import {
  byteLength,
  type FieldKind,
  lengthByte,
  paramCode,
  paramName,
  partsOf,
  quotedString,
  readLoc,
  readParams,
  recordTypes,
  textOf,
  writeLoc,
  writeParams,
  type Param,
} from '@praesidor/core/naming';
import { decodeName, encodeName, WireError } from './wire.ts';

/**
 * Data of records on the wire, by the table of record types: text to bytes and back, part by part. Types that are not
 * in it stand as RFC 3597 writes them.
 */
const widths = { u8: 1, u16: 2, u32: 4, time: 4 } as const;

function address(text: string, v: 4 | 6): Buffer {
  const a = parseIp(text);
  if (a.v !== v) throw new Error(`${text} is not an IPv${v} address`);
  const bytes = Buffer.alloc(v === 4 ? 4 : 16);
  for (let i = bytes.length - 1, n = a.n; i >= 0; i--, n >>= 8n) bytes[i] = Number(n & 255n);
  return bytes;
}
const short = (bytes: Uint8Array): Buffer => {
  if (bytes.length > 255) throw new Error(`a string has at most 255 bytes, not ${bytes.length}`);
  return Buffer.concat([Buffer.from([bytes.length]), bytes]);
};
const number = (n: number, width: number): Buffer => {
  const b = Buffer.alloc(width);
  b.writeUIntBE(n, 0, width);
  return b;
};

function encodePart(kind: FieldKind, text: string): Buffer {
  switch (kind) {
    case 'ip4':
      return address(text, 4);
    case 'ip6':
      return address(text, 6);
    case 'name':
      return encodeName(text);
    case 'u8':
    case 'u16':
    case 'u32':
    case 'time':
      return number(Number(text), widths[kind]);
    case 'string':
    case 'tag':
      return short(Buffer.from(text, 'latin1'));
    case 'text':
      return Buffer.from(text, 'latin1');
    case 'hex':
      return Buffer.from(text, 'hex');
    case 'base64':
      return Buffer.from(text, 'base64');
    case 'params':
      return Buffer.concat(readParams(text).map(encodeParam));
    case 'loc': {
      const l = readLoc(text.split(' '));
      if ('message' in l) throw new Error(l.message);
      const angle = (v: number) => number(2 ** 31 + v, 4);
      const lengths = [l.size, l.horizontal, l.vertical].map(lengthByte);
      return Buffer.concat([Buffer.from([0, ...lengths]), angle(l.latitude), angle(l.longitude), number(l.altitude, 4)]);
    }
    default:
      throw new Error(`a part of kind ${kind} is not written`);
  }
}

function encodeParam({ name, value = '' }: Param): Buffer {
  const list = value.split(',');
  const body = () => {
    switch (name) {
      case 'mandatory':
        return Buffer.concat(
          list
            .map((n) => paramCode(n) ?? 0)
            .sort((a, b) => a - b)
            .map((n) => number(n, 2)),
        );
      case 'alpn':
        return Buffer.concat(list.map((p) => short(Buffer.from(p, 'latin1'))));
      case 'no-default-alpn':
        return Buffer.alloc(0);
      case 'port':
        return number(Number(value), 2);
      case 'ipv4hint':
        return Buffer.concat(list.map((a) => address(a, 4)));
      case 'ipv6hint':
        return Buffer.concat(list.map((a) => address(a, 6)));
      case 'ech':
        return Buffer.from(value, 'base64');
      default:
        return Buffer.from(value, 'latin1');
    }
  };
  const bytes = body();
  return Buffer.concat([number(paramCode(name) ?? 0, 2), number(bytes.length, 2), bytes]);
}

/** Wire form of a record's data from its text. @throws Error when the text does not fit the type */
export function encodeData(type: string, value: string): Buffer {
  if (Object.hasOwn(recordTypes, type)) return Buffer.concat(partsOf(type, value).map((p) => encodePart(p.kind, p.text)));
  const m = /^\\# (\d+)((?: ?[0-9a-f]{2})*)$/i.exec(value);
  const bytes = Buffer.from((m?.[2] ?? '').replaceAll(' ', ''), 'hex');
  if (!m || bytes.length !== Number(m[1])) throw new Error(`records of type ${type} are not written`);
  return bytes;
}

/** Text of a record's data from the wire, in our one way of writing it. @throws WireError where the data does not fit its type */
export function decodeData(type: string, b: Buffer, start: number, end: number): string | undefined {
  if (type === 'TSIG') return undefined;
  const known = Object.hasOwn(recordTypes, type) ? recordTypes[type] : undefined;
  if (!known) return `\\# ${end - start} ${b.toString('hex', start, end)}`.trimEnd();
  let at = start;
  const need = (n: number) => {
    if (at + n > end) throw new WireError(`the data of a ${type} record ends too soon`, at);
    at += n;
    return at - n;
  };
  const take = (): Buffer => {
    const length = b[need(1)] as number;
    return b.subarray(need(length), at);
  };
  const part = (kind: FieldKind): string => {
    switch (kind) {
      case 'ip4':
      case 'ip6': {
        const width = kind === 'ip4' ? 4 : 16;
        const from = need(width);
        let n = 0n;
        for (let i = from; i < from + width; i++) n = (n << 8n) | BigInt(b[i] as number);
        return formatIp({ v: kind === 'ip4' ? 4 : 6, n });
      }
      case 'name': {
        const r = decodeName(b, at);
        if (r.next > end) throw new WireError('a name longer than its record', at);
        at = r.next;
        return r.name || '.';
      }
      case 'u8':
      case 'u16':
      case 'u32':
      case 'time':
        return String(b.readUIntBE(need(widths[kind]), widths[kind]));
      case 'string':
        return quotedString(take());
      case 'tag':
        return take().toString('latin1').toLowerCase();
      case 'text':
        return quotedString(b.subarray(need(end - at), end));
      case 'strings': {
        const parts: Buffer[] = [];
        while (at < end) parts.push(take());
        return textOf(parts);
      }
      case 'hex':
        return b.toString('hex', need(end - at), end).toUpperCase();
      case 'base64':
        return b.toString('base64', need(end - at), end);
      case 'params': {
        const params: Param[] = [];
        while (at < end) {
          const code = b.readUInt16BE(need(4));
          const length = b.readUInt16BE(at - 2);
          const from = need(length);
          params.push(decodeParam(code, b.subarray(from, from + length), from));
        }
        return writeParams(params);
      }
      default: {
        const from = need(16);
        const angle = (o: number) => b.readUInt32BE(from + o) - 2 ** 31;
        const [size, horizontal, vertical] = [1, 2, 3].map((o) => byteLength(b[from + o] as number)) as [number, number, number];
        return writeLoc({
          size,
          horizontal,
          vertical,
          latitude: angle(4),
          longitude: angle(8),
          altitude: b.readUInt32BE(from + 12),
        });
      }
    }
  };
  const value = known.fields
    .map(([kind]) => part(kind))
    .join(' ')
    .trimEnd();
  if (at !== end) throw new WireError(`data longer than a ${type} record has`, at);
  return value;
}

function decodeParam(code: number, b: Buffer, offset: number): Param {
  const name = paramName(code);
  const broken = () => new WireError(`the parameter ${name} is cut off`, offset);
  const chunks = (width: number) => {
    if (b.length % width) throw broken();
    return Array.from({ length: b.length / width }, (_, i) => b.subarray(i * width, (i + 1) * width));
  };
  const ip = (bytes: Buffer) =>
    formatIp({ v: bytes.length === 4 ? 4 : 6, n: [...bytes].reduce((n, x) => (n << 8n) | BigInt(x), 0n) });
  switch (name) {
    case 'mandatory':
      return {
        name,
        value: chunks(2)
          .map((c) => paramName(c.readUInt16BE(0)))
          .join(','),
      };
    case 'alpn': {
      const out: string[] = [];
      for (let i = 0; i < b.length; ) {
        const length = b[i] as number;
        if (i + 1 + length > b.length) throw broken();
        out.push(b.toString('latin1', i + 1, i + 1 + length));
        i += 1 + length;
      }
      return { name, value: out.join(',') };
    }
    case 'no-default-alpn':
      return { name, value: undefined };
    case 'port':
      if (b.length !== 2) throw broken();
      return { name, value: String(b.readUInt16BE(0)) };
    case 'ipv4hint':
      return { name, value: chunks(4).map(ip).join(',') };
    case 'ipv6hint':
      return { name, value: chunks(16).map(ip).join(',') };
    case 'ech':
      return { name, value: b.toString('base64') };
    default:
      return { name, value: b.toString('latin1') };
  }
}
