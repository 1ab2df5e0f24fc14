import type { Plan, PlannedCertificate } from './plan.ts';

const addressesOf = (n: Plan['nodes'][number]): string[] => [n.address, ...(n.second ? [n.second.address] : [])];

/** Every certificate of the cluster with the names and addresses in it; the API server's holds the first address of each service range. */
export function certificatesFor(
  plan: Pick<Plan, 'charter' | 'api' | 'nodes'>,
  firstServices: readonly string[],
): PlannedCertificate[] {
  const out: PlannedCertificate[] = [];
  const add = (c: Partial<PlannedCertificate> & Pick<PlannedCertificate, 'name' | 'commonName' | 'signer'>) =>
    out.push({ names: [], addresses: [], server: false, client: false, days: plan.charter.certificates?.days ?? 365, ...c });
  const caDays = plan.charter.certificates?.caDays ?? 3650;
  const cp = plan.nodes.filter((n) => n.role === 'control-plane');
  add({ name: 'cluster-ca', commonName: `${plan.charter.name} cluster CA`, signer: 'self', days: caDays });
  add({ name: 'front-ca', commonName: `${plan.charter.name} front proxy CA`, signer: 'self', days: caDays });
  add({ name: 'etcd-ca', commonName: `${plan.charter.name} etcd CA`, signer: 'self', days: caDays });
  add({
    name: 'apiserver',
    commonName: 'kube-apiserver',
    signer: 'cluster-ca',
    server: true,
    names: [
      'kubernetes',
      'kubernetes.default',
      'kubernetes.default.svc',
      'kubernetes.default.svc.cluster.local',
      plan.api.name,
      ...(plan.charter.api.names ?? []),
      ...cp.map((n) => n.name),
    ],
    addresses: [...firstServices, plan.api.address, ...(plan.charter.api.addresses ?? []), ...cp.flatMap(addressesOf)].filter(
      Boolean,
    ),
  });
  add({ name: 'apiserver-etcd', commonName: 'kube-apiserver-etcd-client', signer: 'etcd-ca', client: true });
  add({
    name: 'apiserver-kubelet',
    commonName: 'kube-apiserver-kubelet-client',
    organization: 'system:masters',
    signer: 'cluster-ca',
    client: true,
  });
  add({ name: 'front-proxy', commonName: 'front-proxy-client', signer: 'front-ca', client: true });
  add({ name: 'controller-manager', commonName: 'system:kube-controller-manager', signer: 'cluster-ca', client: true });
  add({ name: 'scheduler', commonName: 'system:kube-scheduler', signer: 'cluster-ca', client: true });
  add({
    name: 'admin',
    commonName: `${plan.charter.name}-admin`,
    organization: 'system:masters',
    signer: 'cluster-ca',
    client: true,
  });
  for (const n of cp)
    add({
      name: `etcd-${n.host}`,
      commonName: n.name,
      signer: 'etcd-ca',
      server: true,
      client: true,
      names: [n.name, 'localhost'],
      // The API server asks its own member over loopback.
      addresses: [n.address, '127.0.0.1', '::1'].filter(Boolean),
    });
  for (const n of plan.nodes)
    add({
      name: `kubelet-${n.host}`,
      commonName: `system:node:${n.host}`,
      organization: 'system:nodes',
      signer: 'cluster-ca',
      client: true,
      server: true,
      names: [n.name, n.host],
      addresses: addressesOf(n).filter(Boolean),
    });
  return out;
}
