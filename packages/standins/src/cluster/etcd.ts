import { createHash, createPrivateKey, randomBytes, X509Certificate } from 'node:crypto';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { createServer, type Server } from 'node:https';

/** A machine on which a member may run. */
export interface EtcdHost {
  name: string;
  address: string;
  files: Record<string, string>;
}
interface Known {
  id: string;
  name: string;
  peer: string;
}
const pki = '/etc/kubernetes/pki/etcd';
/** As large as a piece of a snapshot is over the gateway. */
const pieceBytes = 32_768;

/**
 * The members of one etcd: each answers at port 2379 of its machine, to whoever shows a certificate of its authority, what its gateway for JSON
 * answers (etcd 3.4). A member that was taken out stays out, whatever its machine does.
 */
export class EtcdStandin {
  private readonly members = new Map<string, Known>();
  private readonly running = new Map<string, { host: EtcdHost; server: Server }>();
  constructor(
    private readonly place: (address: string, port: number) => { host: string; port: number },
    /** Everything that it holds, as bytes. */
    private readonly content: () => string,
  ) {}

  get size(): number {
    return this.members.size;
  }
  has = (name: string): boolean => this.members.has(name);
  /** How many of its members run. */
  up = (): number => [...this.running.keys()].filter(this.has).length;

  /** A machine was announced, or comes back: it is a member from now on, and answers. */
  join(host: EtcdHost): void {
    if (!this.members.has(host.name))
      this.members.set(host.name, {
        id: BigInt(`0x${randomBytes(8).toString('hex')}`).toString(),
        name: host.name,
        peer: `https://${host.address.includes(':') ? `[${host.address}]` : host.address}:2380`,
      });
    this.leave(host.name);
    const at = this.place(host.address, 2379);
    // With a key that is not that of its certificate it does not start.
    const pair = { key: host.files[`${pki}/server.key`], cert: host.files[`${pki}/server.crt`] };
    if (!pair.key || !pair.cert || !new X509Certificate(pair.cert).checkPrivateKey(createPrivateKey(pair.key))) return;
    const server = createServer(
      {
        ...pair,
        ca: host.files[`${pki}/ca.crt`],
        requestCert: true,
        rejectUnauthorized: true,
        minVersion: 'TLSv1.2',
      },
      (req, res) => {
        void this.answer(req, res).catch(() => res.writeHead(500).end());
      },
    );
    server.on('error', () => this.running.delete(host.name));
    server.listen(at.port, at.host);
    server.unref();
    this.running.set(host.name, { host, server });
  }
  /** Its machine is off. */
  leave(name: string): void {
    const there = this.running.get(name);
    there?.server.close();
    there?.server.closeAllConnections();
    this.running.delete(name);
  }
  close(): void {
    for (const name of [...this.running.keys()]) this.leave(name);
  }

  private async answer(req: IncomingMessage, res: ServerResponse): Promise<void> {
    let text = '';
    for await (const chunk of req) text += String(chunk);
    const send = (status: number, body: object) =>
      void res.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body));
    const refuse = (status: number, code: number, message: string) => send(status, { error: message, message, code });
    if (req.method !== 'POST') return refuse(404, 5, 'Not Found');
    const header = { cluster_id: '1', member_id: '1', revision: '1', raft_term: '2' };
    if (this.up() < Math.floor(this.size / 2) + 1) return refuse(503, 14, 'etcdserver: no leader');
    if (req.url === '/v3/cluster/member/list')
      return send(200, {
        header,
        members: [...this.members.values()].map((m) => ({ ID: m.id, name: m.name, peerURLs: [m.peer] })),
      });
    if (req.url === '/v3/cluster/member/remove') {
      const { ID } = JSON.parse(text) as { ID?: string };
      const m = [...this.members.values()].find((x) => x.id === ID);
      if (!m) return refuse(404, 5, 'etcdserver: member not found');
      // Those who stay must be able to go on without it.
      const stay = [...this.running.keys()].filter((n) => n !== m.name && this.has(n)).length;
      if (stay < Math.floor((this.size - 1) / 2) + 1)
        return refuse(412, 9, 'etcdserver: re-configuration failed due to not enough started members');
      this.members.delete(m.name);
      send(200, { header, members: [...this.members.values()].map((x) => ({ ID: x.id, name: x.name, peerURLs: [x.peer] })) });
      this.leave(m.name);
      return;
    }
    if (req.url === '/v3/maintenance/snapshot') {
      const data = Buffer.from(this.content());
      res.writeHead(200, { 'content-type': 'application/json' });
      for (let n = 0; n < data.length; n += pieceBytes) {
        const piece = data.subarray(n, n + pieceBytes);
        res.write(
          `${JSON.stringify({ result: { header, remaining_bytes: String(data.length - n - piece.length), blob: piece.toString('base64') } })}\n`,
        );
      }
      // What is nothing is left out, as the gateway does it.
      res.end(`${JSON.stringify({ result: { header, blob: createHash('sha256').update(data).digest('base64') } })}\n`);
      return;
    }
    return refuse(404, 5, 'Not Found');
  }
}
