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
}
interface Ask {
  path: string;
  method?: string;
  headers?: Record<string, string>;
  body?: string;
  /** Milliseconds without a byte before it is given up. */
  silentMs?: number;
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
  const agent = new Agent({
    connect: {
      ca: at.ca,
      cert: at.certificate,
      key: at.key,
      servername: at.host,
      timeout: 4000,
      checkServerIdentity: (_: string, cert: tls.PeerCertificate) => tls.checkServerIdentity(at.host, cert),
    },
  });
  try {
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
    await agent.close();
  }
}
