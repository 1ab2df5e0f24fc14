import { type KubeAt, type KubeList, kube } from './client.ts';

/** A service that a cluster has and that is reached from outside of it: by an address of its own, or at a port of every node. */
export interface PublishedService {
  namespace: string;
  name: string;
  /** Addresses that it answers at: written into its status, or set by whoever made it. */
  addresses: string[];
  ports: { port: number; nodePort: number | undefined; protocol: string }[];
  /** Since when it is there. */
  since: string | undefined;
  /** How many pods stand behind it and are ready. */
  behind: number;
  /** By ARP or NDP: the node that answers for its address, and since when; undefined: nothing says it. */
  node: { name: string; since: string | undefined } | undefined;
}

interface Service {
  metadata: { name: string; namespace?: string; creationTimestamp?: string };
  spec?: {
    type?: string;
    externalIPs?: string[];
    ports?: { port: number; nodePort?: number; protocol?: string }[];
  };
  status?: { loadBalancer?: { ingress?: { ip?: string }[] } };
}
interface Lease {
  metadata: { name: string; namespace?: string };
  spec?: { holderIdentity?: string | null; acquireTime?: string };
}
interface Endpoints {
  metadata: { name: string; namespace?: string };
  subsets?: { addresses?: unknown[] }[];
}

/** The name of the lease of whoever answers for an address: letters of a name alone (RFC 1123). */
export const leaseOf = (address: string): string => `address-${address.replaceAll(/[.:]+/g, '-').replace(/-$/, '')}`;

/**
 * What a cluster publishes: its services of the types LoadBalancer and NodePort, and those with external addresses (Kubernetes API, Service v1). Which node answers for an address is
 * read from a Lease (coordination.k8s.io/v1) in kube-system, where whoever announces keeps one. @throws ProtocolError
 */
export async function publishedServices(k: KubeAt): Promise<PublishedService[]> {
  const [services, leases, endpoints] = await Promise.all([
    kube<KubeList<Service>>(k, '/api/v1/services'),
    kube<KubeList<Lease>>(k, '/apis/coordination.k8s.io/v1/namespaces/kube-system/leases'),
    kube<KubeList<Endpoints>>(k, '/api/v1/endpoints'),
  ]);
  const held = new Map((leases?.items ?? []).map((l) => [l.metadata.name, l.spec]));
  const ready = new Map(
    (endpoints?.items ?? []).map((e) => [
      `${e.metadata.namespace ?? 'default'}/${e.metadata.name}`,
      (e.subsets ?? []).reduce((n, s) => n + (s.addresses?.length ?? 0), 0),
    ]),
  );
  return (services?.items ?? []).flatMap(({ metadata, spec, status }): PublishedService[] => {
    const given = (status?.loadBalancer?.ingress ?? []).flatMap((i) => i.ip ?? []);
    const addresses = [...new Set([...given, ...(spec?.externalIPs ?? [])])];
    if (spec?.type !== 'LoadBalancer' && spec?.type !== 'NodePort' && !addresses.length) return [];
    const namespace = metadata.namespace ?? 'default';
    const lease = given.map((a) => held.get(leaseOf(a))).find((l) => l?.holderIdentity);
    return [
      {
        namespace,
        name: metadata.name,
        addresses,
        ports: (spec?.ports ?? []).map((p) => ({ port: p.port, nodePort: p.nodePort, protocol: p.protocol ?? 'TCP' })),
        since: metadata.creationTimestamp,
        behind: ready.get(`${namespace}/${metadata.name}`) ?? 0,
        node: lease?.holderIdentity ? { name: lease.holderIdentity, since: lease.acquireTime } : undefined,
      },
    ];
  });
}
