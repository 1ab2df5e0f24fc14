import type { IncomingMessage, ServerResponse } from 'node:http';
import { createServer, type Server } from 'node:https';
import { createSecureContext, type SecureContext } from 'node:tls';
import { ByHost } from './by-host.ts';
import { apiFrontend, apiPort } from './of-files.ts';

type Files = Record<string, string>;
type Answer = (req: IncomingMessage, res: ServerResponse) => Promise<void>;

/**
 * An API server as the files of its host say: it shows its certificate, and asks for one of the cluster's authority.
 * @param next where it stands behind a load balancer: the files of the member that takes the next connection
 */
export const apiServer = (files: Files, answer: Answer, next?: () => Files): Server =>
  createServer(
    {
      // A load balancer that passes connections on: each comes to the next member, which shows its own certificate.
      ...(next
        ? {
            SNICallback: (_: string, done: (e: Error | null, context?: SecureContext) => void) => {
              const of = next();
              done(
                null,
                createSecureContext({
                  key: of['/etc/kubernetes/pki/apiserver.key'],
                  cert: of['/etc/kubernetes/pki/apiserver.crt'],
                  ca: of['/etc/kubernetes/pki/ca.crt'],
                  minVersion: 'TLSv1.2',
                }),
              );
            },
          }
        : {}),
      key: files['/etc/kubernetes/pki/apiserver.key'],
      cert: files['/etc/kubernetes/pki/apiserver.crt'],
      ca: files['/etc/kubernetes/pki/ca.crt'],
      requestCert: true,
      rejectUnauthorized: false,
      minVersion: 'TLSv1.2',
    },
    (req, res) => void answer(req, res).catch(() => res.writeHead(500).end()),
  );

/** API servers at the own addresses of their hosts, where a load balancer stands before them: it is reached past it there. */
export class MemberApis extends ByHost {
  constructor(
    private readonly place: (address: string, port: number) => { host: string; port: number },
    private readonly answer: Answer,
  ) {
    super();
  }

  begin(name: string, address: string, files: Files): void {
    this.stop(name);
    if (!apiFrontend(files['/etc/haproxy/haproxy.cfg'] ?? '')) return;
    this.start(name, apiServer(files, this.answer), this.place(address, Number(apiPort(files))));
  }
}
