import { createSocket } from 'node:dgram';
import { type Exits, ProtocolError } from '../dial/index.ts';

/** Seconds between the epochs of NTP (1900) and of Unix (1970), RFC 5905 §6. */
const epochs = 2_208_988_800;
const bytes = 48;
const server = 4;
const client = 3;

/** A time of NTP as milliseconds since 1970: 32 bits of seconds, 32 of their fractions. */
export const fromTimestamp = (b: Buffer, at: number): number =>
  (b.readUInt32BE(at) - epochs) * 1000 + (b.readUInt32BE(at + 4) / 2 ** 32) * 1000;
export function toTimestamp(b: Buffer, at: number, ms: number): void {
  b.writeUInt32BE(Math.floor(ms / 1000) + epochs, at);
  b.writeUInt32BE(Math.floor(((ms % 1000) / 1000) * 2 ** 32), at + 4);
}

export interface TimeAnswer {
  /** How far our clock is behind theirs, in milliseconds; below zero it is ahead. */
  offsetMs: number;
  /** How far they are from a clock that is true by itself (1). */
  stratum: number;
}

/**
 * What time it is there: one question of SNTP (RFC 4330), asked three times at most.
 *
 * @throws ProtocolError `silent`, `kept-back`, or `answer` where it is no time server or has no time itself
 */
export async function askTime(
  to: { address: string; host?: string; exits: Exits; port?: number; timeoutMs?: number },
  now: () => number = Date.now,
): Promise<TimeAnswer> {
  const { address, exits, port = 123, timeoutMs = 1500, host = address } = to;
  const where = `${address}:${port}`;
  const at = await exits.to('time', host, address, port);
  for (let tries = 1; ; tries++) {
    const heard = await ask(at, timeoutMs, now, where);
    if (heard) return read(heard.wire, heard.sent, heard.arrived, where);
    if (tries === 3) throw new ProtocolError('silent', where, 'it does not answer');
  }
}

function ask(at: { host: string; port: number }, timeoutMs: number, now: () => number, where: string) {
  return new Promise<{ wire: Buffer; sent: number; arrived: number } | undefined>((done, fail) => {
    const socket = createSocket(at.host.includes(':') ? 'udp6' : 'udp4');
    const end = (f: () => void) => {
      clearTimeout(timer);
      socket.close();
      f();
    };
    const timer = setTimeout(() => end(() => done(undefined)), timeoutMs);
    const question = Buffer.alloc(bytes);
    question[0] = (4 << 3) | client;
    const sent = now();
    toTimestamp(question, 40, sent);
    socket.on('message', (wire) => {
      // What was not asked by this question is not its answer (RFC 4330 §5).
      if (wire.length >= bytes && wire.subarray(24, 32).equals(question.subarray(40, 48)))
        end(() => done({ wire, sent, arrived: now() }));
    });
    socket.on('error', (e) => end(() => fail(ProtocolError.from(e, where))));
    socket.send(question, at.port, at.host);
  });
}

function read(wire: Buffer, sent: number, arrived: number, where: string): TimeAnswer {
  const mode = (wire[0] as number) & 7;
  const leap = (wire[0] as number) >> 6;
  const stratum = wire[1] as number;
  if (mode !== server) throw new ProtocolError('answer', where, `it does not answer as a time server (mode ${mode})`);
  if (leap === 3 || stratum === 0 || stratum > 15) throw new ProtocolError('answer', where, 'it has no time itself yet');
  const [received, replied] = [fromTimestamp(wire, 32), fromTimestamp(wire, 40)];
  return { offsetMs: (received - sent + (replied - arrived)) / 2, stratum };
}
