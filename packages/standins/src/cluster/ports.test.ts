import { createServer } from 'node:net';
import { afterEach, expect, it } from 'vitest';
import { makeCertificate } from '../certificates.ts';
import { Clock } from '../clock.ts';
import type { Machine } from '../machine.ts';
import { Clusters } from './index.ts';

/** A free port of loopback, at which whatever address of the cluster is played. */
const freePort = () =>
  new Promise<number>((done) => {
    const s = createServer().listen(0, '127.0.0.1', () => {
      const { port } = s.address() as { port: number };
      s.close(() => done(port));
    });
  });
let clusters: Clusters | undefined;
afterEach(() => clusters?.close());

const node = '10.62.8.20';
/** A first member as its files say: the API server's own port and address, and the load balancer before it. */
async function up(told: { own?: string; bind?: string; front?: string; back?: string; etcd?: string }): Promise<boolean> {
  const port = await freePort();
  const etcdPort = await freePort();
  clusters = new Clusters(new Clock(), (_, asked) => ({ host: '127.0.0.1', port: asked === 2379 ? etcdPort : port }));
  const [server, etcd] = await Promise.all([
    makeCertificate({ commonName: 'api', names: ['kube.test.example'], addresses: [node] }),
    makeCertificate({ commonName: 'etcd', addresses: ['127.0.0.1', node] }),
  ]);
  const flags = [
    `--etcd-servers=https://${told.etcd ?? '127.0.0.1'}:2379`,
    `--bind-address=${told.bind ?? node}`,
    ...(told.own ? [`--secure-port=${told.own}`] : []),
  ];
  const files: Record<string, string> = {
    '/etc/praesidor/boot.env': 'ROLE=control-plane\n',
    '/etc/kubernetes/kubelet.kubeconfig': '{"clusters":[{"name":"test"}]}',
    '/etc/kubernetes/manifests/kube-apiserver.yaml': JSON.stringify({
      spec: { containers: [{ command: ['kube-apiserver', ...flags] }] },
    }),
    '/etc/kubernetes/pki/apiserver.key': server.key,
    '/etc/kubernetes/pki/apiserver.crt': server.cert,
    '/etc/kubernetes/pki/ca.crt': server.cert,
    '/etc/kubernetes/pki/etcd/server.crt': etcd.cert,
    '/etc/kubernetes/pki/etcd/server.key': etcd.key,
    ...(told.front
      ? { '/etc/haproxy/haproxy.cfg': `frontend api\n  bind ${told.front}\nbackend api\n  server one ${told.back} check\n` }
      : {}),
  };
  const machine = {} as Machine;
  clusters.joined(machine, { host: 'one', address: node, files } as never);
  return clusters.list()[0]?.up ?? false;
}

it.each([
  ['an API server alone answers', {}, true],
  ['behind a load balancer that leads to its port', { own: '8443', front: '10.62.8.10:8443', back: `${node}:8443` }, true],
  [
    'behind one that leads to another port, nobody answers',
    { own: '6443', front: '10.62.8.10:8443', back: `${node}:8443` },
    false,
  ],
  ['without a port of its own it has 6443', { front: '10.62.8.10:6443', back: `${node}:6443` }, true],
  [
    'a port that its neighbour has at every address is not to be had',
    { bind: '0.0.0.0', front: '10.62.8.10:6443', back: `${node}:6443` },
    false,
  ],
  ['a certificate of etcd for another address than it asks for ends it', { etcd: '10.62.8.99' }, false],
])('%s', async (_, told, answers) => {
  expect(await up(told)).toBe(answers);
});
