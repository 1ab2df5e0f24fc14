import { createHmac, timingSafeEqual } from 'node:crypto';
import { classCode, decode, decodeName, encodeName, encodeRr, type Message, type Rr, WireError } from './codec.ts';

/** Transaction signatures (RFC 8945) with HMAC-SHA256. */
export interface TsigKey {
  name: string;
  secret: Buffer;
}

const algorithm = encodeName('hmac-sha256');
const u16 = (n: number) => {
  const b = Buffer.alloc(2);
  b.writeUInt16BE(n);
  return b;
};
const u48 = (n: number) => {
  const b = Buffer.alloc(6);
  b.writeUIntBE(n, 0, 6);
  return b;
};
const fudge = 300;

/** What is signed besides the message: key name, class ANY, TTL 0, algorithm, time, fudge, error, other data (§4.3.3). */
const variables = (key: TsigKey, time: number, error: number) =>
  Buffer.concat([
    encodeName(key.name),
    u16(classCode.ANY),
    Buffer.alloc(4),
    algorithm,
    u48(time),
    u16(fudge),
    u16(error),
    u16(0),
  ]);

function mac(key: TsigKey, wire: Buffer, time: number, error: number, requestMac?: Buffer): Buffer {
  const h = createHmac('sha256', key.secret);
  if (requestMac) {
    h.update(u16(requestMac.length));
    h.update(requestMac);
  }
  return h
    .update(wire)
    .update(variables(key, time, error))
    .digest();
}

/** The message with its signature as the last additional record; `requestMac` chains an answer to its question. */
export function sign(wire: Buffer, key: TsigKey, seconds: number, requestMac?: Buffer): { wire: Buffer; mac: Buffer } {
  const signature = mac(key, wire, seconds, 0, requestMac);
  const data = Buffer.concat([
    algorithm,
    u48(seconds),
    u16(fudge),
    u16(signature.length),
    signature,
    wire.subarray(0, 2),
    u16(0),
    u16(0),
  ]);
  const out = Buffer.concat([wire, encodeRr({ name: key.name, type: 'TSIG', class: classCode.ANY, ttl: 0, data })]);
  out.writeUInt16BE(out.readUInt16BE(10) + 1, 10);
  return { wire: out, mac: signature };
}

export type Verified =
  | { ok: true; message: Message; mac: Buffer }
  | { ok: false; why: 'unsigned' | 'key' | 'signature' | 'time'; message: Message };

/** Checks the signature of a message as received. */
export function verify(wire: Buffer, keys: readonly TsigKey[], seconds: number, requestMac?: Buffer): Verified {
  const message = decode(wire);
  const last: Rr | undefined = message.additionals.at(-1);
  if (last?.type !== 'TSIG') return { ok: false, why: 'unsigned', message };
  const bare = { ...message, additionals: message.additionals.slice(0, -1) };
  const key = keys.find((k) => k.name.toLowerCase() === last.name);
  if (!key) return { ok: false, why: 'key', message: bare };
  const { next } = decodeName(last.data, 0);
  if (next + 10 > last.data.length) throw new WireError('a short signature record', next);
  const time = last.data.readUIntBE(next, 6);
  const length = last.data.readUInt16BE(next + 8);
  const given = last.data.subarray(next + 10, next + 10 + length);
  const error = last.data.length >= next + 14 + length ? last.data.readUInt16BE(next + 12 + length) : 0;
  const stripped = Buffer.from(wire.subarray(0, wire.length - encodeRr(last).length));
  stripped.writeUInt16BE(message.additionals.length - 1, 10);
  const want = mac(key, stripped, time, error, requestMac);
  if (given.length !== want.length || !timingSafeEqual(given, want)) return { ok: false, why: 'signature', message: bare };
  if (Math.abs(time - seconds) > fudge) return { ok: false, why: 'time', message: bare };
  return { ok: true, message: bare, mac: given };
}
