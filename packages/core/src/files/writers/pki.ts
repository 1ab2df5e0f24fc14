import { nodeFile, type NodeFile, type NodeWriter } from '../kit.ts';

/** Certificates and keys that a node needs for its role; the CA keys stay in the keyring, but for what the control plane signs with. */
export const pki: NodeWriter = {
  name: 'certificates',
  write: (ctx, node) => {
    const dir = '/etc/kubernetes/pki';
    const from = [`charter.name`, `certificate plan`];
    const pair = (path: string, name: string): NodeFile[] => [
      nodeFile(`${dir}/${path}.crt`, ctx.secret(`${name}.crt`), from),
      nodeFile(`${dir}/${path}.key`, ctx.secret(`${name}.key`), from, { secret: true }),
    ];
    const all = [nodeFile(`${dir}/ca.crt`, ctx.secret('cluster-ca.crt'), from), ...pair('kubelet', `kubelet-${node.host}`)];
    if (node.role === 'worker') return all;
    return [
      ...all,
      nodeFile(`${dir}/ca.key`, ctx.secret('cluster-ca.key'), from, { secret: true }),
      // Whoever signs reads one certificate; ca.crt has two while one authority takes the place of another.
      nodeFile(`${dir}/signing-ca.crt`, ctx.secret('cluster-ca.signing.crt'), from),
      ...pair('apiserver', 'apiserver'),
      ...pair('apiserver-etcd-client', 'apiserver-etcd'),
      ...pair('apiserver-kubelet-client', 'apiserver-kubelet'),
      ...pair('front-proxy-client', 'front-proxy'),
      nodeFile(`${dir}/front-proxy-ca.crt`, ctx.secret('front-ca.crt'), from),
      nodeFile(`${dir}/etcd/ca.crt`, ctx.secret('etcd-ca.crt'), from),
      ...pair('etcd/server', `etcd-${node.host}`),
      nodeFile(`${dir}/sa.pub`, ctx.secret('service-accounts.pub'), from),
      nodeFile(`${dir}/sa.key`, ctx.secret('service-accounts.key'), from, { secret: true }),
    ];
  },
};
