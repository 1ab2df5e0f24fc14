import { holds, isIp, parseIp, parsePrefix, prefixRange } from '../address/index.ts';
import { resolve } from '../charter/index.ts';
import type { Charter } from '../model/charter.ts';
import { kinds } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';

/** A node as the API of a cluster tells it. */
export interface FoundNode {
  name: string;
  controlPlane: boolean;
  addresses: string[];
  /** Of its kubelet, without the v. */
  version: string;
  ready: boolean;
  taints: string[];
  /** The part of the pod network that it has. */
  pods?: string;
}
/** A cluster as its API tells it. What could not be read is left out. */
export interface FoundCluster {
  name: string;
  version: string;
  api: { host: string; address: string; port: number };
  nodes: FoundNode[];
  pods?: string;
  services?: string;
  /** Names and addresses in the certificate that its API shows, and when that ends; when the authority does. */
  certificate?: { names: string[]; until: string; pem?: string };
  authority?: { until: string };
}

/** A node beside the host of the estate that it is. */
export interface Matched {
  node: FoundNode;
  host?: string;
  /** Why it is none, or none that a charter may have. */
  why?: string;
}
/** A line of the comparison: what the cluster has, and what follows from the draft. */
export interface DraftRow {
  what: string;
  there: string;
  drafted: string;
  same: boolean;
}
export interface Drafted {
  nodes: Matched[];
  charter?: Charter;
  /** What the draft lacks, and who can add it. */
  lacks: string[];
  rows: DraftRow[];
}

const label = (name: string) => name.toLowerCase().split('.')[0] ?? name;
const inside = (address: string, prefix: string) => isIp(address) && holds(prefixRange(parsePrefix(prefix)), parseIp(address));

/** Hosts by name, with or without a domain; else by an address that the ledger says is theirs. */
function matched(found: FoundCluster, estate: Estate, site: string, wish: string): Matched[] {
  const hosts = estate.hosts.filter((h) => h.site === site);
  const owner = new Map(
    estate.reservations.filter((r) => r.owner.kind === 'host').map((r) => [r.address, r.owner.name] as const),
  );
  return found.nodes.map((node): Matched => {
    const host =
      hosts.find((h) => h.name === node.name || h.name === label(node.name)) ??
      hosts.find((h) => node.addresses.some((a) => owner.get(a) === h.name));
    if (!host) return { node, why: `no host of the site is called ${label(node.name)} or has its address` };
    const held = host.held?.charter;
    return held && held !== wish ? { node, host: host.name, why: `it is held by ${held}` } : { node, host: host.name };
  });
}

const cidr = (address: string | undefined) => address ?? 'not read';
/**
 * A charter that would give a cluster as it was found, and how what follows from it differs from what is there.
 *
 * @param wish the name that it is to have
 */
export function draftOf(found: FoundCluster, estate: Estate, site: string, wish: string): Drafted {
  const nodes = matched(found, estate, site, wish);
  const lacks: string[] = [];
  const networks = estate.networks.filter((n) => n.site === site && n.purpose === 'machine');
  const first = found.nodes.flatMap((n) => n.addresses.filter(isIp));
  const network = networks.find((n) => first.some((a) => inside(a, n.prefix)));
  if (!network)
    lacks.push(`No network of the site holds the addresses of its nodes (${first.slice(0, 3).join(', ') || 'none told'}).`);
  const releases = estate.releases.filter((r) => r.version === found.version);
  const near = [...estate.releases].sort((a, b) => b.version.localeCompare(a.version, 'en', { numeric: true }));
  const release = releases[0] ?? near.find((r) => r.version.split('.')[1] === found.version.split('.')[1]) ?? near[0];
  if (!releases.length)
    lacks.push(`There is no release ${found.version}: ${release ? `${release.name} stands in its place` : 'none is declared'}.`);
  const mirror = estate.registries.find((r) => r.site === site && r.role !== 'source');
  if (!mirror) lacks.push('The site has no registry that it could pull from.');
  if (!found.pods) lacks.push('The range of its pods could not be read.');
  if (!found.services) lacks.push('The range of its services could not be read.');
  for (const m of nodes) if (m.why) lacks.push(`${m.node.name}: ${m.why}.`);
  const of = (controlPlane: boolean) => {
    const all = nodes.filter((m) => m.node.controlPlane === controlPlane);
    const hosts = all.flatMap((m) => (m.host && !m.why ? [m.host] : []));
    return { count: all.length, ...(hosts.length === all.length && hosts.length ? { hosts } : {}) };
  };
  const perNode = found.nodes.flatMap((n) => (n.pods ? [parsePrefix(n.pods).length] : []))[0];
  const named = !isIp(found.api.host);
  const read = kinds.Charter.safeParse({
    apiVersion: 'praesidor/v1',
    kind: 'Charter',
    name: wish,
    site,
    purpose: `Taken in as it stood: ${found.name}`,
    release: release?.name ?? '',
    mirror: mirror?.name ?? '',
    controlPlane: of(true),
    workers: of(false),
    machineNetwork: network?.name ?? '',
    pods: { range: found.pods ?? '', ...(perNode ? { perNode } : {}) },
    services: { range: found.services ?? '' },
    overlay: { kind: 'geneve' },
    api: { ...(named ? { name: found.api.host } : {}), address: found.api.address, port: found.api.port },
  });
  if (!read.success) {
    for (const i of read.error.issues) if (!lacks.length) lacks.push(`${i.path.join('.')}: ${i.message}`);
    return { nodes, lacks, rows: [] };
  }
  const charter = read.data;
  const plan = resolve(charter, { ...estate, charters: [...estate.charters.filter((c) => c.name !== wish), charter] });
  const row = (what: string, there: string, drafted: string): DraftRow => ({ what, there, drafted, same: there === drafted });
  const rows = [
    row('version', found.version, plan.release?.version ?? 'none'),
    row('name of the API', found.api.host, plan.api.name),
    row('address of the API', `${found.api.address}:${found.api.port}`, `${plan.api.address}:${plan.api.port}`),
    row('pod network', cidr(found.pods), charter.pods.range),
    row('services', cidr(found.services), charter.services.range),
    ...nodes.map((m) => {
      const planned = plan.nodes.find((n) => n.host === m.host);
      const role = (controlPlane: boolean) => (controlPlane ? 'control plane' : 'worker');
      const at = m.node.addresses.filter(isIp);
      return row(
        `node ${m.node.name}`,
        `${role(m.node.controlPlane)}, ${at.includes(planned?.address ?? '') ? planned?.address : (at[0] ?? 'no address')}`,
        planned ? `${role(planned.role === 'control-plane')}, ${planned.address}` : 'none',
      );
    }),
    ...(found.certificate
      ? [
          row(
            'names in the certificate of the API',
            plan.api.name && found.certificate.names.includes(plan.api.name)
              ? plan.api.name
              : found.certificate.names.slice(0, 4).join(', '),
            plan.api.name,
          ),
        ]
      : []),
  ];
  return { nodes, charter, lacks, rows };
}
