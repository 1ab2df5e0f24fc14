import { randomInt } from 'node:crypto';
import { createSocket } from 'node:dgram';
import { connect } from 'node:net';
import type { ZoneUpdate } from '@praesidor/core/naming';
import type { ServedRecord } from '@praesidor/core/model';
import { type Exits, ProtocolError } from '../dial/index.ts';
import { classCode, decode, encode, encodeData, type Message, message, opcode, type Rr, rcodes, rr } from './codec.ts';
import { sign, type TsigKey, verify } from './tsig.ts';

export interface DnsServer {
  address: string;
  port?: number;
  exits: Exits;
  /** What it is asked as: a resolver by everybody, the primary of a zone by whoever changes it. */
  purpose: 'resolver' | 'zone';
  timeoutMs?: number;
}

const where = (s: DnsServer) => `${s.address}:${s.port ?? 53}`;

/** One question over UDP, again over TCP when the answer was cut short. @throws ProtocolError `silent` after three tries. */
export async function query(server: DnsServer, name: string, type: string): Promise<Message> {
  const ask = message({ id: randomInt(65536), recursionDesired: true, questions: [{ name, type, class: classCode.IN }] });
  const answer = await overUdp(server, encode(ask), ask.id);
  return answer.truncated ? await overTcpOne(server, encode(ask), ask.id) : answer;
}

/** The values of a name, or an empty list when it does not exist. */
export async function lookup(server: DnsServer, name: string, type: string): Promise<string[]> {
  const m = await query(server, name, type);
  if (m.rcode !== 0 && m.rcode !== 3)
    throw new ProtocolError('answer', where(server), `it answered ${rcodes[m.rcode] ?? m.rcode} for ${name}`);
  return m.answers.filter((a) => a.type === type && a.value !== undefined).map((a) => a.value as string);
}

/** The whole zone by transfer (RFC 5936), signed. The SOA is given apart. */
export async function transfer(
  server: DnsServer,
  zone: string,
  key: TsigKey,
  seconds: number,
  limit = 2_000_000,
): Promise<{ serial: number; records: ServedRecord[] }> {
  const ask = message({ id: randomInt(65536), questions: [{ name: zone, type: 'AXFR', class: classCode.IN }] });
  const signed = sign(encode(ask), key, seconds);
  const records: ServedRecord[] = [];
  let first = true;
  let soas = 0;
  let serial = 0;
  await overTcp(server, signed.wire, (wire) => {
    const m = decode(wire);
    if (m.id !== ask.id) return false;
    // The first message must be signed by the key that asked; what follows comes over the same connection.
    if (first && m.rcode === 0) {
      const checked = verify(wire, [key], seconds, signed.mac);
      if (!checked.ok)
        throw new ProtocolError(
          'trust',
          where(server),
          `its transfer of ${zone} is not signed with ${key.name} (${checked.why})`,
        );
    }
    first = false;
    if (m.rcode !== 0)
      throw new ProtocolError(
        m.rcode === 5 || m.rcode === 9 ? 'credentials' : 'answer',
        where(server),
        `it refuses to transfer ${zone} (${rcodes[m.rcode] ?? m.rcode})`,
      );
    for (const r of m.answers) {
      if (r.type === 'SOA') {
        soas++;
        serial = Number(r.value?.split(' ')[2] ?? 0);
      } else if (r.value !== undefined) records.push({ name: r.name, type: r.type, ttl: r.ttl, value: r.value });
      if (records.length > limit) throw new ProtocolError('answer', where(server), `the zone has more than ${limit} records`);
    }
    return soas >= 2;
  });
  return { serial, records };
}

/** Sends a signed dynamic update (RFC 2136) and checks the signature of the answer. */
export async function update(
  server: DnsServer,
  zone: string,
  { prerequisites, steps }: ZoneUpdate,
  key: TsigKey,
  seconds: number,
): Promise<void> {
  const none = (name: string, type: string, cls: number, data: Buffer = Buffer.alloc(0)): Rr => ({
    name,
    type,
    class: cls,
    ttl: 0,
    data,
  });
  const changes = steps.map(
    ({ do: act, record: r }): Rr =>
      act === 'add' ? rr(r.name, r.type, r.ttl, r.value) : none(r.name, r.type, classCode.NONE, encodeData(r.type, r.value)),
  );
  const needs = prerequisites.flatMap(({ name, type, values }): Rr[] =>
    values.length ? values.map((v) => none(name, type, classCode.IN, encodeData(type, v))) : [none(name, type, classCode.NONE)],
  );
  const ask = message({
    id: randomInt(65536),
    opcode: opcode.update,
    questions: [{ name: zone, type: 'SOA', class: classCode.IN }],
    // The section of answers carries the prerequisites (RFC 2136 §2.4).
    answers: needs,
    authorities: changes,
  });
  const signed = sign(encode(ask), key, seconds);
  let done = false;
  await overTcp(server, signed.wire, (wire) => {
    const answer = decode(wire);
    if (answer.id !== ask.id) return false;
    if (answer.rcode !== 0)
      throw new ProtocolError(
        answer.rcode === 9 ? 'credentials' : 'answer',
        where(server),
        refusal(answer.rcode, zone, key.name),
        answer.rcode,
      );
    const checked = verify(wire, [key], seconds, signed.mac);
    if (!checked.ok)
      throw new ProtocolError(
        'trust',
        where(server),
        `its answer to the update of ${zone} is not signed with ${key.name} (${checked.why})`,
      );
    done = true;
    return true;
  });
  if (!done) throw new ProtocolError('cut', where(server), `the connection was closed before it answered the update of ${zone}`);
}

function refusal(rcode: number, zone: string, key: string): string {
  const name = rcodes[rcode] ?? String(rcode);
  if (rcode === 7 || rcode === 8)
    return `what it serves in ${zone} is no longer what was read a moment ago (${name}): somebody changed it there, and nothing was sent over it`;
  if (rcode === 9) return `it does not accept the key ${key} for ${zone} (${name})`;
  if (rcode === 5) return `it refuses updates of ${zone} (${name}); allow the key ${key} to update this zone there`;
  return `it answered the update of ${zone} with ${name}`;
}

async function overUdp(server: DnsServer, wire: Buffer, id: number): Promise<Message> {
  const at = await server.exits.to(server.purpose, server.address, server.address, server.port ?? 53);
  return new Promise((done, fail) => {
    const socket = createSocket(at.host.includes(':') ? 'udp6' : 'udp4');
    let tries = 0;
    let timer: NodeJS.Timeout;
    const end = (act: () => void) => {
      clearTimeout(timer);
      socket.close();
      act();
    };
    const send = () => {
      if (++tries > 3) {
        end(() => fail(new ProtocolError('silent', where(server), 'it does not answer')));
        return;
      }
      socket.send(wire, at.port, at.host);
      timer = setTimeout(send, server.timeoutMs ?? 1000);
    };
    socket.on('error', (e) => end(() => fail(ProtocolError.from(e, where(server)))));
    socket.on('message', (got) => {
      try {
        const m = decode(got);
        if (m.id === id && m.response) end(() => done(m));
      } catch {
        /* a broken datagram is as good as none: the next try asks again */
      }
    });
    send();
  });
}

async function overTcpOne(server: DnsServer, wire: Buffer, id: number): Promise<Message> {
  let answer: Message | undefined;
  await overTcp(server, wire, (got) => {
    const m = decode(got);
    if (m.id === id) answer = m;
    return answer !== undefined;
  });
  if (!answer) throw new ProtocolError('cut', where(server), 'the connection was closed before it answered');
  return answer;
}

/** Sends one message and hands over each that comes back, until `take` says that it is enough. */
async function overTcp(server: DnsServer, wire: Buffer, take: (message: Buffer) => boolean): Promise<void> {
  const at = await server.exits.to(server.purpose, server.address, server.address, server.port ?? 53);
  return new Promise((done, fail) => {
    const socket = connect({ host: at.host, port: at.port });
    socket.setTimeout(server.timeoutMs ?? 5000, () => socket.destroy(Object.assign(new Error(), { code: 'ETIMEDOUT' })));
    let buffer: Buffer = Buffer.alloc(0);
    socket.on('connect', () => {
      const head = Buffer.alloc(2);
      head.writeUInt16BE(wire.length);
      socket.write(Buffer.concat([head, wire]));
    });
    socket.on('data', (chunk) => {
      buffer = Buffer.concat([buffer, chunk]);
      try {
        while (buffer.length >= 2 && buffer.length >= 2 + buffer.readUInt16BE(0)) {
          const length = buffer.readUInt16BE(0);
          const whole = Buffer.from(buffer.subarray(2, 2 + length));
          buffer = buffer.subarray(2 + length);
          if (take(whole)) {
            socket.end();
            done();
            return;
          }
        }
      } catch (cause) {
        socket.destroy();
        fail(ProtocolError.from(cause, where(server)));
      }
    });
    socket.on('error', (e) => fail(ProtocolError.from(e, where(server))));
    socket.on('close', () => done());
  });
}
