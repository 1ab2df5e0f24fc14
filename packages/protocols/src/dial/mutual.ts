import { isIP } from 'node:net';
import tls from 'node:tls';
import { Agent, request } from 'undici';
import type { Dialer } from './dialer.ts';
import { ProtocolError } from './errors.ts';
import type { Purpose } from './exits.ts';

/** A server that both sides show certificates to (TLS, RFC 8446 §4.4.2), reached at an address by the name in its certificate. */
export interface MutualAt {
  dialer: Dialer;
  host: string;
  address: string;
  port: number;
  ca: string;
  certificate: string;
  key: string;
  /** What it is asked for, where that is not what it is built or proved by. */
  purpose?: Purpose;
}
interface Ask {
  path: string;
  method?: string;
  headers?: Record<string, string>;
  body?: string;
  /** Milliseconds without a byte before it is given up. */
  silentMs?: number;
  /** Bytes of an answer at most; what sends more is hung up on. */
  mostBytes?: number;
}

/** What certificates come to once they are read: reading them costs more than most requests. */
const contexts = new Map<string, tls.SecureContext>();
function contextOf({ ca, certificate, key }: MutualAt): tls.SecureContext {
  const name = `${ca}\n${certificate}\n${key}`;
  const known = contexts.get(name);
  if (known) return known;
  const made = tls.createSecureContext({ ca, cert: certificate, key });
  if (contexts.size >= 64) contexts.delete([...contexts.keys()][0] as string);
  contexts.set(name, made);
  return made;
}

/** One request on a connection of its own. `read` is given the answer while the connection stands. @throws ProtocolError */
export async function askMutual<T>(
  at: MutualAt,
  purpose: Purpose,
  ask: Ask,
  read: (
    status: number,
    body: AsyncIterable<Uint8Array> & { text: () => Promise<string> },
    headers: Record<string, string | string[] | undefined>,
  ) => Promise<T>,
): Promise<T> {
  const where = `${at.host}:${at.port}`;
  const to = await at.dialer.locate({ purpose, host: at.address, port: at.port });
  const silent = ask.silentMs ?? 8000;
  let agent: Agent | undefined;
  try {
    agent = new Agent({
      ...(ask.mostBytes ? { maxResponseSize: ask.mostBytes } : {}),
      connect: {
        secureContext: contextOf(at),
        // No name is told of an address (RFC 6066 §3); the certificate has to be for it all the same.
        ...(isIP(at.host) ? {} : { servername: at.host }),
        timeout: 4000,
        checkServerIdentity: (_: string, cert: tls.PeerCertificate) => tls.checkServerIdentity(at.host, cert),
      },
    });
    const r = await request(`https://${to.host.includes(':') ? `[${to.host}]` : to.host}:${to.port}${ask.path}`, {
      dispatcher: agent,
      method: (ask.method ?? 'GET') as 'GET',
      headers: { accept: 'application/json', host: where, ...ask.headers },
      ...(ask.body === undefined ? {} : { body: ask.body }),
      headersTimeout: silent,
      bodyTimeout: silent,
    });
    return await read(r.statusCode, r.body, r.headers);
  } catch (cause) {
    throw ProtocolError.from(cause, where);
  } finally {
    await agent?.close();
  }
}
