import { formatPrefix, parsePrefix, prefixRange } from '../address/parse.ts';
import { nextPrefix } from '../address/carve.ts';
import type { Charter, Kind, Network } from './documents.ts';
import type { Estate } from './estate.ts';
import { writeDocument } from './read.ts';

/** The kinds that a person begins by hand; the others are made by acts (a sweep lists hosts, the ledger reserves). */
export const begun = [
  'Site',
  'Network',
  'Zone',
  'Registry',
  'Charter',
  'Host',
  'Hypervisor',
  'Mould',
  'Baseline',
] as const satisfies Kind[];
export type Begun = (typeof begun)[number];

/**
 * Text to begin a document with: valid where the estate holds what it needs, and with everything in it that
 * can be known already (the next free prefix, a neighbour's choices). What cannot be known is left for the
 * person, and the reader says which field that is.
 */
export function beginning(kind: Begun, estate: Estate, site = estate.sites[0]?.name ?? 'new-site'): string {
  return writers[kind](estate, site);
}

const lines = (kind: Kind, ...rest: string[]) => `${['apiVersion: praesidor/v1', `kind: ${kind}`, ...rest].join('\n')}\n`;
const taken = (name: string, names: readonly { name: string }[]) => names.some((n) => n.name === name);
const fresh = (wish: string, names: readonly { name: string }[]) => {
  let name = wish;
  for (let i = 2; taken(name, names); i++) name = `${wish}-${i}`;
  return name;
};
const domainOf = (estate: Estate, site: string) => estate.sites.find((s) => s.name === site)?.domain ?? `${site}.example`;

const writers: Record<Begun, (estate: Estate, site: string) => string> = {
  Site: (estate) => {
    const near = estate.sites[0];
    const name = fresh('new-site', estate.sites);
    return lines(
      'Site',
      `name: ${name}`,
      'title: ',
      'form: hall # or sealed-room, edge',
      'reach: open # or thin (slow or part-time link), sealed (media only)',
      `timezone: ${near?.timezone ?? 'UTC'}`,
      `domain: ${name}.${near ? near.domain.split('.').slice(1).join('.') : 'example'}`,
      'resolvers: []',
      'ntp: []',
      'racks: [{name: R1, units: 42}]',
    );
  },
  Network: (estate, site) => {
    const here = estate.networks.filter((n) => n.site === site);
    const near = here.find((n) => n.purpose === 'machine') ?? here[0];
    const prefix = near ? besides(near, estate.networks) : '10.0.0.0/24';
    const vlans = new Set(here.map((n) => n.vlan));
    let vlan = near?.vlan ?? 100;
    while (vlans.has(vlan)) vlan++;
    const gateway = prefix.replace(/(\d+)\/\d+$/, (_, last: string) => String(Number(last) + 1));
    return lines(
      'Network',
      `name: ${fresh(`${site}-net`, estate.networks)}`,
      `site: ${site}`,
      'purpose: machine # or management, provisioning, storage, tunnel, uplink, service',
      `vlan: ${vlan}`,
      `prefix: ${prefix}`,
      ...(prefix.includes(':') ? [] : [`gateway: ${gateway}`]),
      `mtu: ${near?.mtu ?? 1500}`,
      'dhcp: []',
      'pools: []',
    );
  },
  Zone: (estate, site) => {
    const near = estate.zones.find((z) => z.site === site) ?? estate.zones[0];
    return lines(
      'Zone',
      `name: ${fresh(domainOf(estate, site), estate.zones)}`,
      `site: ${site}`,
      `primary: ${near?.primary ?? ''}`,
      `servers: [${near?.servers.join(', ') ?? `ns1.${domainOf(estate, site)}`}]`,
      `contact: ${near?.contact ?? `hostmaster.${domainOf(estate, site)}`}`,
      `key: ${near?.key ?? ''} # the entry of the keyring that signs updates`,
    );
  },
  Registry: (estate, site) => {
    const name = fresh(`${site}-registry`, estate.registries);
    return lines(
      'Registry',
      `name: ${name}`,
      `site: ${site}`,
      'role: starter # or standing, source',
      `endpoint: registry.${domainOf(estate, site)}:5000`,
      'diskGB: 200',
    );
  },
  Host: (estate, site) => {
    const key = estate.keys.find((k) => k.use === 'bmc' && k.name.includes(site)) ?? estate.keys.find((k) => k.use === 'bmc');
    return lines(
      'Host',
      `name: ${fresh(`${site}-host`, estate.hosts)}`,
      `site: ${site}`,
      'rack: R1',
      'unit: 1',
      'bmc:',
      '  address: ',
      `  credential: ${key?.name ?? ''}`,
    );
  },
  Hypervisor: (estate, site) => {
    const near = estate.hypervisors.find((h) => h.site === site) ?? estate.hypervisors[0];
    const name = fresh(`${site}-hv1`, estate.hypervisors);
    const key = estate.keys.find((k) => k.use === 'hypervisor');
    const networks = estate.networks.filter((n) => n.site === site && n.purpose === 'machine' && n.vlan);
    return lines(
      'Hypervisor',
      `name: ${name}`,
      `site: ${site}`,
      `endpoint: ${name}.${domainOf(estate, site)}:8443`,
      `credential: ${near?.credential ?? key?.name ?? ''} # an entry of the keyring`,
      `cores: ${near?.cores ?? 32}`,
      `memoryGiB: ${near?.memoryGiB ?? 128}`,
      `keepsGiB: ${near?.keepsGiB ?? 8} # of its memory, for itself`,
      `overcommit: ${near?.overcommit ?? 4} # how many times over cores may be promised`,
      `pools: [{name: ${near?.pools[0]?.name ?? 'fast'}, media: nvme, sizeGB: ${near?.pools[0]?.sizeGB ?? 1000}}]`,
      `networks: [${networks.map((n) => `{network: ${n.name}, bridge: br${n.vlan}}`).join(', ')}]`,
    );
  },
  Mould: (estate, site) => {
    const machine = estate.networks.find((n) => n.site === site && n.purpose === 'machine') ?? estate.networks[0];
    return lines(
      'Mould',
      `name: ${fresh('new-mould', estate.moulds)}`,
      'title: ',
      'vcpu: 4',
      'memoryGiB: 16',
      'disks: [{sizeGB: 60}, {sizeGB: 200}] # the first is written from the image',
      `image: ${estate.moulds[0]?.image ?? ''}`,
      machine ? `networks: [${machine.name}]` : 'networks: ',
    );
  },
  Baseline: (estate) => {
    const models = [...new Set(estate.hosts.flatMap((h) => (h.facts && h.facts.source !== 'mould' ? [h.facts.model] : [])))];
    const model = models.find((m) => !estate.baselines.some((b) => b.model === m)) ?? models[0] ?? '';
    const newest = estate.hosts.find((h) => h.facts?.model === model)?.facts?.firmware.system;
    return lines(
      'Baseline',
      `name: ${fresh(model.toLowerCase().replace(/[^a-z0-9-]+/g, '-') || 'new-baseline', estate.baselines)}`,
      `model: ${model}`,
      'parts:',
      `  - {part: system, atLeast: '${newest ?? '1.0'}', reboot: true, minutes: 10} # image: https://… brings it there`,
    );
  },
  Charter: (estate, site) => {
    const near = estate.charters.find((c) => c.site === site) ?? estate.charters[0];
    return near ? writeDocument(besideCharter(near, estate, site)) : firstCharter(estate, site);
  },
};

/** A prefix of the same length that overlaps none of the networks given, as near behind it as there is one. */
function besides(near: Network, all: readonly Network[]): string {
  const own = parsePrefix(near.prefix);
  const free = nextPrefix(
    own,
    all.map((n) => prefixRange(parsePrefix(n.prefix))),
  );
  return formatPrefix(free ?? own);
}

/** A neighbour's charter under another name: choices are kept, and all that must be its own follows anew. */
function besideCharter(near: Charter, estate: Estate, site: string): Charter {
  const { servicePool: _, ...rest } = near;
  const used = [...estate.charters.flatMap((c) => [c.pods.range, c.services.range]), ...estate.networks.map((n) => n.prefix)].map(
    (text) => prefixRange(parsePrefix(text)),
  );
  const next = (text: string) => {
    const own = parsePrefix(text);
    const free = nextPrefix(own, used) ?? own;
    used.push(prefixRange(free));
    return formatPrefix(free);
  };
  const machine = estate.networks.find((n) => n.site === site && n.purpose === 'machine');
  const mirror = estate.registries.find((r) => r.site === site && r.role !== 'source');
  return {
    ...rest,
    name: fresh(`${site}-cluster`, estate.charters),
    site,
    purpose: '',
    mirror: mirror?.name ?? near.mirror,
    machineNetwork: machine?.name ?? near.machineNetwork,
    controlPlane: { count: near.controlPlane.count },
    workers: { ...near.workers, hosts: undefined },
    pods: { ...near.pods, range: next(near.pods.range) },
    services: { range: next(near.services.range) },
    overlay: { kind: near.overlay.kind },
    api: {},
    inbound: {},
  };
}

const firstCharter = (estate: Estate, site: string) =>
  lines(
    'Charter',
    `name: ${site}-cluster`,
    `site: ${site}`,
    `release: ${estate.releases[0]?.name ?? ''}`,
    `mirror: ${estate.registries.find((r) => r.site === site && r.role !== 'source')?.name ?? ''}`,
    'controlPlane: {count: 3}',
    'workers: {count: 3}',
    `machineNetwork: ${estate.networks.find((n) => n.site === site && n.purpose === 'machine')?.name ?? ''}`,
    'pods: {range: 10.128.0.0/18}',
    'services: {range: 10.144.0.0/22}',
    'overlay: {kind: geneve}',
  );
