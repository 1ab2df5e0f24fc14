import { createHash } from 'node:crypto';
import net from 'node:net';
import tls from 'node:tls';
import { Agent, type Dispatcher, request } from 'undici';
import { isIp } from '@praesidor/core/address';
import { ProtocolError } from './errors.ts';
import type { Exits, Purpose } from './exits.ts';

/** Resolves a name to an address; the caller decides which resolvers are asked. */
export type Resolver = (name: string) => Promise<string>;
export interface Trust {
  /** PEM anchors; only these are trusted. */
  ca?: string;
  /** SHA-256 fingerprint of the one certificate that is accepted. */
  fingerprint?: string;
}
/** A credential that is sent along: says why it may not go somewhere, once the address is known. */
export type Leash = (to: { host: string; address: string }) => string | undefined;
export interface Target {
  purpose: Purpose;
  /** Asked before anything is connected to. */
  leash?: Leash | undefined;
  host: string;
  port: number;
  tls: boolean;
  trust?: Trust;
}
export interface HttpAnswer {
  status: number;
  headers: Record<string, string | string[] | undefined>;
  body: Dispatcher.ResponseData['body'];
}
export interface HttpAsk {
  method?: string;
  path: string;
  headers?: Record<string, string>;
  body?: string | Buffer | NodeJS.ReadableStream;
  signal?: AbortSignal;
  timeoutMs?: number;
}

/**
 * The only way out over HTTP and TLS. It knows how to resolve names, asks its exits and the credential before it connects,
 * and verifies every certificate against a pin or against given anchors.
 */
export class Dialer {
  constructor(
    readonly exits: Exits,
    private readonly resolveName: Resolver,
    /** Connections that are kept to one place at most. */
    private readonly connections = 8,
    /** The address of this machine that it connects from, where it has several. */
    private readonly from?: string,
  ) {}

  private readonly agents = new Map<string, Agent>();
  private readonly names = new Map<string, { address: Promise<string>; until: number }>();

  /** A name's address, remembered for a few seconds: one transfer asks for the same name a thousand times. */
  private resolved(host: string): Promise<string> {
    const known = this.names.get(host);
    if (known && known.until > Date.now()) return known.address;
    const address = this.resolveName(host);
    this.names.set(host, { address, until: Date.now() + 5000 });
    address.catch(() => this.names.delete(host));
    return address;
  }

  /** Where a target is reached. @throws ProtocolError when its name cannot be resolved, or nobody may connect there */
  async locate({
    purpose,
    host,
    port,
    leash,
  }: Omit<Target, 'tls' | 'trust'>): Promise<{ host: string; port: number; address: string }> {
    const address = isIp(host) ? host : await this.resolved(host);
    const why = leash?.({ host, address });
    if (why) throw new ProtocolError('kept-back', `${host}:${port}`, why);
    return { ...(await this.exits.to(purpose, host, address, port)), address };
  }

  /** Lets go of kept connections to a host, so that what is asked next is measured from the first byte on. */
  forget(host: string): void {
    this.names.delete(host);
    for (const [key, agent] of this.agents)
      if ((JSON.parse(key) as string[])[2] === host) {
        this.agents.delete(key);
        // Whoever closes everything may have been first.
        agent.close().catch(() => undefined);
      }
  }

  async ask(target: Target, ask: HttpAsk): Promise<HttpAnswer> {
    const where = `${target.host}:${target.port}`;
    const at = await this.locate(target);
    const key = JSON.stringify([at.host, at.port, target.host, target.tls, target.trust]);
    let agent = this.agents.get(key);
    if (!agent) {
      agent = new Agent({
        connections: this.connections,
        keepAliveTimeout: 4000,
        connect: target.tls ? this.secureConnect(target) : { timeout: 5000 },
      });
      this.agents.set(key, agent);
    }
    try {
      const r = await request(
        `${target.tls ? 'https' : 'http'}://${at.host.includes(':') ? `[${at.host}]` : at.host}:${at.port}${ask.path}`,
        {
          // Kept after a HEAD too: every connection costs a handshake.
          dispatcher: agent,
          reset: false,
          method: (ask.method ?? 'GET') as Dispatcher.HttpMethod,
          headers: { host: where, 'user-agent': 'praesidor', ...ask.headers },
          ...(ask.body === undefined ? {} : { body: ask.body as Buffer }),
          ...(ask.signal ? { signal: ask.signal } : {}),
          headersTimeout: ask.timeoutMs ?? 15_000,
          bodyTimeout: ask.timeoutMs ?? 30_000,
        },
      );
      return { status: r.statusCode, headers: r.headers, body: r.body };
    } catch (cause) {
      throw ProtocolError.from(cause, where);
    }
  }

  private secureConnect(target: Target): NonNullable<ConstructorParameters<typeof Agent>[0]>['connect'] {
    return ((options: { hostname: string; port: string }, done: (e: Error | null, s: net.Socket | null) => void) => {
      this.open(target, { host: options.hostname, port: Number(options.port) }).then(
        (socket) => done(null, socket),
        (e: Error) => done(e, null),
      );
    }) as never;
  }

  /** The certificate that a server shows, whoever signed it. Nothing is sent to it. */
  async certificate(target: Omit<Target, 'tls'>, timeoutMs = 4000): Promise<SeenCert> {
    const at = await this.locate(target);
    return new Promise((done, fail) => {
      const socket = tls.connect({
        host: at.host,
        port: at.port,
        ...(isIp(target.host) ? {} : { servername: target.host }),
        rejectUnauthorized: false,
        checkServerIdentity: () => undefined,
        ...(target.trust?.ca ? { ca: target.trust.ca } : {}),
        timeout: timeoutMs,
      });
      const end = (cause: unknown) => {
        socket.destroy();
        fail(ProtocolError.from(cause, `${target.host}:${target.port}`));
      };
      socket.once('error', end);
      socket.once('timeout', () => end(Object.assign(new Error('no answer'), { code: 'UND_ERR_CONNECT_TIMEOUT' })));
      socket.once('secureConnect', () => {
        const c = socket.getPeerCertificate();
        socket.end();
        done({
          subject: String(c.subject?.CN ?? ''),
          issuer: String(c.issuer?.CN ?? ''),
          names: (c.subjectaltname ?? '')
            .split(', ')
            .map((n) => n.replace(/^(DNS|IP Address):/, ''))
            .filter(Boolean),
          notBefore: new Date(c.valid_from).toISOString(),
          notAfter: new Date(c.valid_to).toISOString(),
          fingerprint: fingerprintOf(c.raw),
          trusted: socket.authorized,
        });
      });
    });
  }

  /**
   * A connection of its own, for what is spoken over it; over TLS once its certificate was verified. Without an answer in five seconds it is broken off.
   * @throws ProtocolError
   */
  async connect(target: Target): Promise<net.Socket> {
    return this.open(target, await this.locate(target));
  }

  /** Connects to where a target is reached. Over TLS nothing is sent before its certificate was verified. */
  private open(target: Target, at: { host: string; port: number }): Promise<net.Socket> {
    const where = `${target.host}:${target.port}`;
    return new Promise((done, fail) => {
      const from = this.from ? { localAddress: this.from } : {};
      const socket = target.tls
        ? tls.connect({
            host: at.host,
            port: at.port,
            ...from,
            ...(isIp(target.host) ? {} : { servername: target.host }),
            rejectUnauthorized: false,
            checkServerIdentity: () => undefined,
            ...(target.trust?.ca ? { ca: target.trust.ca } : {}),
          })
        : net.connect({ host: at.host, port: at.port, ...from });
      socket.setTimeout(5000, () => socket.destroy(new ProtocolError('silent', where, 'it does not answer')));
      const failed = (e: Error) => fail(ProtocolError.from(e, where));
      socket.once('error', failed);
      socket.once(target.tls ? 'secureConnect' : 'connect', () => {
        const fault = target.tls ? verify(socket as tls.TLSSocket, target) : undefined;
        if (fault) {
          socket.destroy();
          fail(fault);
          return;
        }
        socket.setTimeout(0);
        socket.off('error', failed);
        done(socket);
      });
    });
  }

  async close(): Promise<void> {
    await Promise.all([...this.agents.values()].map((a) => a.destroy()));
    this.agents.clear();
  }
}

export interface SeenCert {
  subject: string;
  issuer: string;
  names: string[];
  notBefore: string;
  notAfter: string;
  fingerprint: string;
  trusted: boolean;
}

export const fingerprintOf = (der: Buffer) =>
  (createHash('sha256').update(der).digest('hex').toUpperCase().match(/../g) ?? []).join(':');

function verify(socket: tls.TLSSocket, target: Target): Error | undefined {
  const cert = socket.getPeerCertificate();
  const where = `${target.host}:${target.port}`;
  if (target.trust?.fingerprint) {
    const shown = fingerprintOf(cert.raw);
    return shown === target.trust.fingerprint
      ? undefined
      : new ProtocolError(
          'pin',
          where,
          `it shows the certificate ${short(shown)}, pinned is ${short(target.trust.fingerprint)}; nothing was sent to it`,
        );
  }
  if (!target.trust?.ca)
    return new ProtocolError(
      'trust',
      where,
      'no certificate authority is declared for it, so its certificate cannot be verified',
    );
  if (!socket.authorized)
    return new ProtocolError('trust', where, `its certificate is not to be trusted: ${String(socket.authorizationError)}`);
  const wrong = tls.checkServerIdentity(target.host, cert);
  return wrong
    ? new ProtocolError(
        'name',
        where,
        `its certificate is for ${String(cert.subjectaltname ?? cert.subject?.CN ?? 'nobody').replace(/DNS:|IP Address:/g, '')}, not for ${target.host}`,
      )
    : undefined;
}

export const short = (fingerprint: string) => `${fingerprint.slice(0, 5)}:…:${fingerprint.slice(-5)}`;

/** Host and port of `host:port`, `[address]:port` or either without the port, which is 443 then. */
export function endpointOf(endpoint: string): { host: string; port: number } {
  const m = /^\[([^\]]+)\](?::(\d+))?$/.exec(endpoint) ?? /^([^:]+)(?::(\d+))?$/.exec(endpoint);
  return { host: m?.[1] ?? endpoint, port: Number(m?.[2] ?? 443) };
}
