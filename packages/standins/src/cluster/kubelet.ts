import { createServer } from 'node:https';
import { parseYaml } from '../parse-once.ts';
import { ByHost } from './by-host.ts';

type Files = Record<string, string>;

/** Kubelets at port 10250 of their hosts: each shows the certificate that it read when it started, and lets in who has one of the cluster's authority. */
export class Kubelets extends ByHost {
  constructor(private readonly place: (address: string, port: number) => { host: string; port: number }) {
    super();
  }

  /** It starts, or starts anew: what it has read before it has forgotten. */
  begin(name: string, address: string, files: Files): void {
    this.stop(name);
    const config = parseYaml(files['/etc/kubernetes/kubelet.yaml'] ?? '') as {
      tlsCertFile?: string;
      tlsPrivateKeyFile?: string;
      authentication?: { x509?: { clientCAFile?: string } };
    } | null;
    const read = (path: string | undefined) => files[path ?? ''];
    const [cert, key] = [read(config?.tlsCertFile), read(config?.tlsPrivateKeyFile)];
    if (!cert || !key) return;
    const server = createServer(
      { cert, key, ca: read(config?.authentication?.x509?.clientCAFile), requestCert: true, rejectUnauthorized: false },
      (req, res) => void res.writeHead('authorized' in req.socket && req.socket.authorized ? 404 : 401).end(),
    );
    this.start(name, server, this.place(address, 10250));
  }
}
