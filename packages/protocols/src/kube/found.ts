import { isIP } from 'node:net';
import tls from 'node:tls';
import { X509Certificate } from 'node:crypto';
import { parse } from 'yaml';
import { ProtocolError } from '../dial/index.ts';
import { kube, type KubeAt, type KubeList } from './client.ts';

interface NodeTold {
  metadata: { name: string; labels?: Record<string, string> };
  spec?: { podCIDR?: string; taints?: { key: string; value?: string; effect: string }[] };
  status?: {
    addresses?: { type: string; address: string }[];
    conditions?: { type: string; status: string }[];
    nodeInfo?: { kubeletVersion?: string };
  };
}
/** A cluster as its API tells it, whoever built it. What it does not tell is left out. */
export interface ClusterFound {
  version: string;
  nodes: {
    name: string;
    controlPlane: boolean;
    addresses: string[];
    version: string;
    ready: boolean;
    taints: string[];
    pods?: string;
  }[];
  pods?: string;
  services?: string;
  certificate?: { names: string[]; until: string; pem: string };
  authority?: { until: string };
}
const plain = (version: string | undefined) => (version ?? '').replace(/^v/, '').replace(/[+-].*$/, '');
const roles = ['node-role.kubernetes.io/control-plane', 'node-role.kubernetes.io/master'];

/**
 * Everything of a cluster that a charter says: nodes, versions, ranges, certificates. It is only read; a service that no range can hold is asked for as a
 * trial (`dryRun=All`), because the refusal names the range.
 *
 * @throws ProtocolError
 */
export async function clusterFound(k: KubeAt): Promise<ClusterFound> {
  const version = await kube<{ gitVersion?: string }>(k, '/version');
  const told = await kube<KubeList<NodeTold>>(k, '/api/v1/nodes');
  const nodes = (told?.items ?? []).map(({ metadata, spec, status }) => ({
    name: metadata.name,
    controlPlane: roles.some((r) => r in (metadata.labels ?? {})),
    addresses: (status?.addresses ?? []).filter((a) => a.type === 'InternalIP').map((a) => a.address),
    version: plain(status?.nodeInfo?.kubeletVersion),
    ready: status?.conditions?.some((c) => c.type === 'Ready' && c.status === 'True') ?? false,
    taints: (spec?.taints ?? []).map((t) => `${t.key}${t.value ? `=${t.value}` : ''}:${t.effect}`),
    ...(spec?.podCIDR ? { pods: spec.podCIDR } : {}),
  }));
  const [pods, services, certificate] = await Promise.all([podRange(k), serviceRange(k), shownBy(k)]);
  return {
    version: plain(version?.gitVersion),
    nodes,
    ...(pods ? { pods } : {}),
    ...(services ? { services } : {}),
    ...(certificate ? { certificate } : {}),
    ...authorityOf(k.ca),
  };
}

const cidr = /^[0-9a-f.:]+\/\d{1,3}$/i;
/** The range of the pods: from the flags of the controller manager where its pod is told, else from what the proxy was configured with. */
async function podRange(k: KubeAt): Promise<string | undefined> {
  const flag = await flagOf(k, 'kube-controller-manager', 'cluster-cidr');
  if (flag) return flag;
  const maps = await optional(kube<KubeList<{ data?: Record<string, string> }>>(k, '/api/v1/namespaces/kube-system/configmaps'));
  for (const text of (maps?.items ?? []).flatMap((m) => Object.values(m.data ?? {}))) {
    if (!text.includes('KubeProxyConfiguration')) continue;
    const range = proxyRange(text);
    if (range && cidr.test(range)) return range;
  }
  return undefined;
}
/** What a proxy was configured with; undefined: it is no configuration that can be read. */
export function proxyRange(text: string): string | undefined {
  try {
    const range = (parse(text) as { clusterCIDR?: unknown } | null)?.clusterCIDR;
    return typeof range === 'string' ? range.split(',')[0] : undefined;
  } catch {
    return undefined;
  }
}
async function serviceRange(k: KubeAt): Promise<string | undefined> {
  const flag = await flagOf(k, 'kube-apiserver', 'service-cluster-ip-range');
  if (flag) return flag;
  const why = await kube(k, '/api/v1/namespaces/default/services?dryRun=All', {
    method: 'POST',
    body: {
      apiVersion: 'v1',
      kind: 'Service',
      metadata: { name: 'range-of-services', namespace: 'default' },
      // An address for documentation (RFC 5737 §3): no range of services has it.
      spec: { clusterIP: '192.0.2.1', ports: [{ port: 443 }] },
    },
  }).then(
    () => '',
    (e: unknown) => (e instanceof ProtocolError ? e.message : ''),
  );
  return rangeSaid(why);
}
/** The range that a refusal of an address names. */
export const rangeSaid = (text: string): string | undefined =>
  /valid range.*?((?:\d{1,3}\.){3}\d{1,3}\/\d{1,2}|[0-9a-f]*:[0-9a-f:]*\/\d{1,3})/i.exec(text)?.[1];
/** A flag of a program of the control plane that runs as a pod. */
async function flagOf(k: KubeAt, program: string, flag: string): Promise<string | undefined> {
  const pods = await optional(
    kube<KubeList<{ spec?: { containers?: { command?: string[]; args?: string[] }[] } }>>(
      k,
      `/api/v1/namespaces/kube-system/pods?labelSelector=component%3D${program}`,
    ),
  );
  for (const c of (pods?.items ?? []).flatMap((p) => p.spec?.containers ?? []))
    for (const a of [...(c.command ?? []), ...(c.args ?? [])]) {
      const value = a.startsWith(`--${flag}=`) ? a.slice(flag.length + 3).split(',')[0] : undefined;
      if (value && cidr.test(value)) return value;
    }
  return undefined;
}
/** Who may not look at something is told the rest. */
const optional = <T>(asked: Promise<T | undefined>) =>
  asked.catch((e: unknown) => {
    if (e instanceof ProtocolError && e.status === 403) return undefined;
    throw e;
  });

/** The certificate that the API shows. */
async function shownBy(k: KubeAt): Promise<ClusterFound['certificate']> {
  const to = await k.dialer.locate({ purpose: k.purpose ?? 'cluster', host: k.address, port: k.port });
  return new Promise((done) => {
    const socket = tls.connect(
      { host: to.host, port: to.port, ...(isIP(k.host) ? {} : { servername: k.host }), ca: k.ca, timeout: 4000 },
      () => {
        const cert = socket.getPeerCertificate();
        const names = (cert.subjectaltname ?? '').split(', ').map((n) => n.replace(/^(DNS|IP Address):/, ''));
        socket.destroy();
        done(
          cert.valid_to
            ? { names, until: new Date(cert.valid_to).toISOString(), pem: new X509Certificate(cert.raw).toString() }
            : undefined,
        );
      },
    );
    socket.once('timeout', () => socket.destroy(new Error('silent'))).once('error', () => done(undefined));
  });
}
function authorityOf(pem: string): { authority?: { until: string } } {
  try {
    return { authority: { until: new Date(new X509Certificate(pem).validTo).toISOString() } };
  } catch {
    return {};
  }
}
