import { spawnSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { request } from 'node:http';
import { createServer, type Server } from 'node:https';
import { type AddressInfo, connect, createServer as createTcpServer } from 'node:net';
import { join } from 'node:path';
import type { Room } from './machine.ts';

export interface Pair {
  cert: string;
  key: string;
}

/** A certificate of an authority, or for an address by one. With an RSA key: the TLS of Debian's ovmf knows no elliptic curves. */
export function certificate(dir: string, name: string, by?: Pair, address = ''): Pair {
  const at = (file: string) => join(dir, `${name}.${file}`);
  const openssl = (...args: string[]) => {
    const r = spawnSync('openssl', args, { encoding: 'utf8' });
    if (r.status !== 0) throw new Error(r.stderr);
  };
  const pair = ['-newkey', 'rsa:2048', '-nodes', '-keyout', at('key'), '-days', '30', '-subj', `/CN=${name}`, '-out', at('crt')];
  if (!by) openssl('req', '-x509', ...pair, '-addext', 'keyUsage=critical,keyCertSign');
  else {
    writeFileSync(at('by.crt'), by.cert);
    writeFileSync(at('by.key'), by.key);
    const signer = ['-CA', at('by.crt'), '-CAkey', at('by.key')];
    openssl(
      'req',
      '-x509',
      ...pair,
      ...signer,
      '-addext',
      `subjectAltName=IP:${address}`,
      '-addext',
      'basicConstraints=CA:FALSE',
    );
  }
  return { cert: readFileSync(at('crt'), 'utf8'), key: readFileSync(at('key'), 'utf8') };
}

/** TLS in front of a server on loopback, at the server's address in a room. */
export class Front {
  readonly server: Server;
  private readonly mapped = createTcpServer((s) => {
    const to = connect((this.server.address() as AddressInfo).port, this.room.server);
    to.on('error', () => s.destroy());
    s.on('error', () => to.destroy());
    s.pipe(to).pipe(s);
  });
  constructor(
    private readonly room: Room,
    port: number,
    pair: Pair,
    authority: Pair,
  ) {
    this.server = createServer({ key: pair.key, cert: `${pair.cert}${authority.cert}` }, (req, res) => {
      const headers = { ...req.headers, 'x-forwarded-for': req.socket.remoteAddress ?? '' };
      const to = request({ port, host: '127.0.0.1', method: req.method, path: req.url, headers }, (r) => {
        res.writeHead(r.statusCode ?? 502, r.headers);
        r.pipe(res);
      });
      to.on('error', () => res.destroy());
      res.on('close', () => to.destroy());
      req.pipe(to);
    });
  }
  /** Listens where machines find it, and where the mapping of addresses (ports moved by `shift`) leads the server that measures it. */
  async open(port: number, shift: number): Promise<void> {
    const at = (s: { listen: (port: number, host: string, done: () => void) => unknown }, p: number, host: string) =>
      new Promise<void>((done) => {
        s.listen(p, host, done);
      });
    await at(this.server, port, this.room.server);
    await at(this.mapped, port + shift, this.room.server.replace(/^10/, '127'));
  }
  close(): void {
    this.server.closeAllConnections();
    this.server.close();
    this.mapped.close();
  }
}
