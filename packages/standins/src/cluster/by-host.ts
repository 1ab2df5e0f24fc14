import type { Server } from 'node:https';

/** Servers of one kind, one on each of several hosts. */
export class ByHost {
  private readonly servers = new Map<string, Server>();

  /** Listens from now on, in place of the one before; where it cannot, nobody answers there. */
  start(host: string, server: Server, at: { host: string; port: number }): void {
    this.stop(host);
    server.on('error', () => this.servers.delete(host));
    server.listen(at.port, at.host);
    server.unref();
    this.servers.set(host, server);
  }
  stop(host: string): void {
    const server = this.servers.get(host);
    server?.close();
    server?.closeAllConnections();
    this.servers.delete(host);
  }
  close(): void {
    for (const host of [...this.servers.keys()]) this.stop(host);
  }
}
