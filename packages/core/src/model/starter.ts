import { followsFor, newSite, reversePlaceholder } from './fields/follows.ts';
import { formatIp, formatPrefix, parsePrefix, prefixRange } from '../address/parse.ts';
import { openIn } from '../ledger/open.ts';
import { blockAround, nextPrefix } from '../address/carve.ts';
import type { Charter, Kind, Network, Template } from './documents.ts';
import type { Blank } from './template.ts';
import type { Estate } from './estate.ts';
import { writeDocument } from './read.ts';

/** The kinds that a person begins by hand, in the order of the work. */
export const creatableKinds = [
  'Site',
  'Network',
  'Zone',
  'Registry',
  'Charter',
  'Template',
  'Host',
  'Hypervisor',
  'Gateway',
  'Mould',
  'Baseline',
  'Profile',
  'Release',
  'Addon',
  'BackupStore',
  'Team',
  'Reservation',
  'Record',
] as const satisfies Kind[];
export type CreatableKind = (typeof creatableKinds)[number];

/**
 * Text to begin a document with: valid where the estate holds what it needs, and with everything in it that
 * can be known already (the next free prefix, a neighbour's choices). What cannot be known is left for the
 * person, and the reader says which field that is. A site comes with what belongs to it: its networks and its DNS zone.
 *
 * @param given values of fields that are known from where somebody comes from, such as `{ purpose: 'management' }`
 */
export function starterText(
  kind: CreatableKind,
  estate: Estate,
  site = estate.sites[0]?.name ?? newSite,
  given: Readonly<Record<string, string>> = {},
): string {
  return writers[kind](estate, site, given);
}

const lines = (kind: Kind, ...rest: string[]) => `${['apiVersion: praesidor/v1', `kind: ${kind}`, ...rest].join('\n')}\n`;
const taken = (name: string, names: readonly { name: string }[]) => names.some((n) => n.name === name);
const fresh = (wish: string, names: readonly { name: string }[]) => {
  let name = wish;
  for (let i = 2; taken(name, names); i++) name = `${wish}-${i}`;
  return name;
};
/** The source that a site takes images from: its own, or the first. */
const sourceFor = (estate: Estate, site: string) =>
  (estate.registries.find((r) => r.role === 'source' && r.site === site) ?? estate.registries.find((r) => r.role === 'source'))
    ?.name ?? '';
const domainOf = (estate: Estate, site: string) => estate.sites.find((s) => s.name === site)?.domain ?? `${site}.example`;

const writers: Record<CreatableKind, (estate: Estate, site: string, given: Readonly<Record<string, string>>) => string> = {
  Site: (estate) => {
    const near = estate.sites[0];
    const name = fresh(newSite, estate.sites);
    return [
      lines(
        'Site',
        'title: ',
        `name: ${name}`,
        'form: hall # hall, sealed-room or edge',
        'reach: open # open, thin (slow or part-time link) or sealed (media only)',
        `timezone: ${near?.timezone ?? 'UTC'}`,
        near ? `domain: ${name}.${near.domain.split('.').slice(1).join('.')}` : 'domain: ',
        'resolvers: []',
        'ntp: []',
        'racks: [{name: R1, units: 42}]',
      ),
      ...['management', 'machine'].map((purpose) =>
        lines('Network', `name: ${name}-${purpose}`, `site: ${name}`, `purpose: ${purpose}`, 'prefix: ', 'mtu: 1500'),
      ),
      ...[false, true].map((back) =>
        lines(
          'Zone',
          back
            ? `name: ${reversePlaceholder} # addresses back to names`
            : `name: ${near ? `${name}.${near.domain.split('.').slice(1).join('.')}` : ''}`,
          `site: ${name}`,
          'primary: ',
          'servers: ',
          'contact: ',
          `key: ${name}-dns # the entry of the keyring that signs updates`,
        ),
      ),
    ].join('---\n');
  },
  Network: (estate, site, given) => {
    const here = estate.networks.filter((n) => n.site === site);
    const purpose = given.purpose ?? 'machine';
    const near = here.find((n) => n.purpose === purpose) ?? here.find((n) => n.purpose === 'machine') ?? here[0];
    const prefix = near ? nextPrefixLike(near, estate.networks) : '';
    const vlans = new Set(here.map((n) => n.vlan));
    let vlan = near?.vlan;
    while (vlan !== undefined && vlans.has(vlan)) vlan++;
    const { gateway } = followsFor('Network', { purpose, prefix }, estate);
    return lines(
      'Network',
      `name: ${fresh(`${site}-${purpose}`, estate.networks)}`,
      `site: ${site}`,
      `purpose: ${purpose} # management, provisioning, machine, storage, tunnel, uplink, service or client`,
      ...(vlan === undefined ? [] : [`vlan: ${vlan}`]),
      `prefix: ${prefix}`,
      ...(gateway ? [`gateway: ${gateway as string}`] : []),
      `mtu: ${near?.mtu ?? 1500}`,
      'dhcp: []',
      'pools: []',
    );
  },
  Zone: (estate, site) => {
    const near = estate.zones.find((z) => z.site === site);
    const name = fresh(near ? `more.${near.name}` : domainOf(estate, site), estate.zones);
    const follows = followsFor('Zone', { site, name }, estate);
    return lines(
      'Zone',
      `name: ${name}`,
      `site: ${site}`,
      `primary: ${near?.primary ?? follows.primary ?? ''}`,
      `servers: [${near?.servers.join(', ') ?? `ns1.${name}`}]`,
      `contact: ${near?.contact ?? `hostmaster.${name}`}`,
      `key: ${near?.key ?? follows.key ?? ''} # the entry of the keyring that signs updates`,
    );
  },
  Registry: (estate, site, given) => {
    if (given.role === 'source')
      return lines('Registry', `name: ${fresh('source', estate.registries)}`, `site: ${site}`, 'role: source', 'endpoint: ');
    const name = fresh(`${site}-registry`, estate.registries);
    const endpoint = `registry.${domainOf(estate, site)}:5000`;
    const machine = estate.networks.find((n) => n.site === site && n.purpose === 'machine');
    const owner = { kind: 'registry', name };
    const follows = followsFor('Reservation', { owner }, { ...estate, registries: [{ name, endpoint } as never] });
    const registry = lines(
      'Registry',
      `name: ${name}`,
      `site: ${site}`,
      'role: starter # starter, standing or source',
      `endpoint: ${endpoint}`,
      `credential: ${name} # an entry of the keyring`,
      'diskGB: 200',
    );
    if (!machine) return registry;
    return [
      registry,
      lines(
        'Reservation',
        `address: ${follows.address ?? ''} # of the registry: nobody else is given it`,
        `network: ${machine.name}`,
        `name: ${follows.name ?? ''}`,
        `owner: {kind: registry, name: ${name}}`,
      ),
    ].join('---\n');
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
  Gateway: (estate, site) => {
    const here = estate.networks.filter((n) => n.site === site);
    const name = fresh(`${site}-gate`, estate.gateways);
    const joined = [
      ...here.filter((n) => n.purpose === 'machine').slice(0, 1),
      ...here.filter((n) => n.purpose === 'uplink').slice(0, 1),
    ];
    const taken = new Set([
      ...estate.reservations.map((r) => r.address),
      ...estate.gateways.flatMap((g) => g.members.flatMap((m) => m.interfaces.map((f) => f.address))),
      ...here.flatMap((n) => n.gateway ?? []),
    ]);
    // From the end of each network, where machines seldom are.
    const last = (prefix: string): string => {
      const range = prefixRange(parsePrefix(prefix));
      let at = range.last - 1n;
      while (at > range.first && taken.has(formatIp({ v: range.v, n: at }))) at--;
      const address = formatIp({ v: range.v, n: at });
      taken.add(address);
      return address;
    };
    const member = (end: string, priority: number) => [
      `  - name: ${name}-${end}`,
      `    priority: ${priority}`,
      `    interfaces: [${joined.map((n) => `{network: ${n.name}, address: '${last(n.prefix)}'}`).join(', ')}]`,
      '    routes: []',
    ];
    const moving = here.find((n) => n.purpose === 'machine' && n.gateway);
    return lines(
      'Gateway',
      `name: ${name}`,
      `site: ${site}`,
      'title: ',
      'sharing: one-leads # one-leads, or all-lead',
      moving
        ? `addresses: [{network: ${moving.name}, address: '${moving.gateway}', id: 1}] # at the member that leads`
        : 'addresses: []',
      'members:',
      ...member('a', 150),
      ...member('b', 100),
    );
  },
  BackupStore: (estate, site) => {
    const name = fresh(`${site}-backups`, estate.backupStores);
    const entry = (use: string) => estate.keys.find((k) => k.use === use)?.name ?? '';
    return lines(
      'BackupStore',
      `name: ${name}`,
      `site: ${site}`,
      'title: ',
      'as: objects # objects of a store that speaks the S3 protocol, or nfs',
      `endpoint: objects.${domainOf(estate, site)}:9000`,
      'bucket: backups',
      `credential: ${entry('objects')} # an entry of the keyring, for objects`,
      `key: ${entry('encryption')} # an entry of the keyring, for encryption`,
      'sizeGB: 1000',
    );
  },
  Team: (estate, site) =>
    lines(
      'Team',
      `name: ${fresh('new-team', estate.teams)}`,
      'title: ',
      `sites: [${site}] # where its clusters may stand`,
      'allowance: {hosts: 8, addresses: 32, clusters: 2} # also cores, memoryGiB, storageGB',
    ),
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
  Profile: (estate) =>
    lines(
      'Profile',
      `name: ${['storage', 'registry', 'edge', 'control-plane', 'worker'].find((n) => !taken(n, estate.profiles)) ?? ''}`,
      'title: ',
      'needs:',
      '  - {fact: cores, atLeast: 8}',
      '  - {fact: memory, atLeast: 32}',
    ),
  Release: (estate, site) => {
    const newest = estate.releases.at(-1);
    const [major = 1, minor = 0, patch = 0] = (newest?.version ?? '').split('.').map(Number);
    const version = newest ? `${major}.${minor}.${patch + 1}` : '';
    return lines(
      'Release',
      `name: '${version}'`,
      `version: '${version}'`,
      `arch: [${newest?.arch.join(', ') ?? 'x86-64'}]`,
      `source: ${sourceFor(estate, site)}`,
      'components: [] # {name: etcd, image: …, on: control-plane}',
    );
  },
  Addon: (estate, site) =>
    lines(
      'Addon',
      `name: ${fresh('new-addon', estate.addons)}`,
      'title: ',
      "version: '1.0.0'",
      `source: ${sourceFor(estate, site)}`,
      'components: [] # {name: agent, image: …, on: worker}',
    ),
  Reservation: (estate, site, given) => {
    const network = estate.networks.find((n) => n.name === given.network) ?? estate.networks.find((n) => n.site === site);
    const next = network && openIn(estate, network).nextFree();
    return lines(
      'Reservation',
      `network: ${network?.name ?? ''}`,
      `address: ${next ? formatIp(next) : ''}`,
      `owner: {kind: site, name: ${network?.site ?? site}}`,
    );
  },
  Record: (estate, site, given) => {
    const zone = estate.zones.find((z) => z.name === given.zone) ?? estate.zones.find((z) => z.site === site);
    return lines('Record', `zone: ${zone?.name ?? ''}`, 'name: ', 'type: A', 'value: ');
  },
  Template: (estate, site) => {
    const near = estate.charters.find((c) => c.site === site) ?? estate.charters[0];
    return near
      ? writeDocument(templateOf(near, estate))
      : lines('Template', 'name: new-template', 'questions: []', 'charter: {}');
  },
  Charter: (estate, site) => {
    const near = estate.charters.find((c) => c.site === site) ?? estate.charters[0];
    return near ? writeDocument(charterLike(near, estate, site)) : firstCharter(estate, site);
  },
};

/** A prefix of the same length that overlaps none of the networks given, as near behind it as there is one. */
function nextPrefixLike(near: Network, all: readonly Network[]): string {
  const own = parsePrefix(near.prefix);
  const free = nextPrefix(
    own,
    all.map((n) => prefixRange(parsePrefix(n.prefix))),
  );
  return formatPrefix(free ?? own);
}

/** A neighbour's charter under another name: choices are kept, and all that must be its own follows anew. */
export function charterLike(near: Charter, estate: Estate, site: string): Charter {
  const { servicePool: _, nodePorts: __, workloads: ___, ...rest } = near;
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
    controlPlane: { ...near.controlPlane, hosts: undefined },
    workers: { ...near.workers, hosts: undefined },
    ...(near.pools ? { pools: near.pools.map((p) => ({ ...p, hosts: undefined })) } : {}),
    pods: { ...near.pods, range: next(near.pods.range) },
    services: { range: next(near.services.range) },
    overlay: { kind: near.overlay.kind },
    api: {},
    inbound: {},
  };
}

/** What of a charter is another in each cluster that is like it, with what it follows from. */
const usualQuestions = (c: Charter): Blank[] => [
  { key: 'site', ask: 'At which site?', type: 'site', sets: ['site'], follows: { rule: 'site' } },
  { key: 'name', ask: 'What is the cluster called?', type: 'text', sets: ['name'], follows: { rule: 'cluster-name' } },
  {
    key: 'network',
    ask: 'Which network have its machines?',
    type: 'network',
    sets: ['machineNetwork'],
    follows: { rule: 'machine-network' },
  },
  {
    key: 'mirror',
    ask: 'Which registry do its nodes pull from?',
    type: 'registry',
    sets: ['mirror'],
    follows: { rule: 'mirror' },
  },
  ...(['pods', 'services'] as const).map((which): Blank => {
    const { length } = parsePrefix(c[which].range);
    return {
      key: which,
      ask: which === 'pods' ? 'Which range have its pods?' : 'Which range have its services?',
      type: 'prefix',
      sets: [`${which}.range`],
      follows: { rule: 'free-prefix', within: blockAround(c[which].range), length },
    };
  }),
];
/** A template that is begun from a charter: what must differ is asked for, the rest is fixed. */
export function templateOf(c: Charter, estate: Estate): Template {
  const {
    apiVersion: _,
    kind: __,
    name,
    site: ___,
    machineNetwork: ____,
    mirror: _____,
    servicePool: ______,
    template: _______,
    ...rest
  } = c;
  const { range: _p, ...pods } = c.pods;
  const { services: _s, api: _a, inbound: _i, ...fixed } = rest;
  return {
    apiVersion: 'praesidor/v1',
    kind: 'Template',
    name: fresh(`like-${name}`, estate.templates),
    title: '',
    version: 1,
    questions: usualQuestions(c),
    charter: {
      ...fixed,
      pods,
      controlPlane: { ...c.controlPlane, hosts: undefined },
      workers: { ...c.workers, hosts: undefined },
    },
  };
}

const firstCharter = (estate: Estate, site: string) => {
  const used = estate.networks.map((n) => prefixRange(parsePrefix(n.prefix)));
  const next = (text: string) => {
    const wish = parsePrefix(text);
    const own = prefixRange(wish);
    const taken = used.some((u) => u.v === own.v && u.first <= own.last && own.first <= u.last);
    const free = taken ? (nextPrefix(wish, used) ?? wish) : wish;
    used.push(prefixRange(free));
    return formatPrefix(free);
  };
  return lines(
    'Charter',
    `name: ${fresh(`${site}-cluster`, estate.charters)}`,
    `site: ${site}`,
    `release: ${newest(estate)}`,
    'addons: []',
    `mirror: ${estate.registries.find((r) => r.site === site && r.role !== 'source')?.name ?? ''}`,
    'controlPlane: {count: 3}',
    'workers: {count: 3}',
    `machineNetwork: ${estate.networks.find((n) => n.site === site && n.purpose === 'machine')?.name ?? ''}`,
    `pods: {range: ${next('10.128.0.0/16')}}`,
    `services: {range: ${next('10.144.0.0/18')}}`,
    'overlay: {kind: geneve}',
    'sshKeys: []',
  );
};
const newest = (estate: Estate) =>
  [...estate.releases].sort((a, b) => b.version.localeCompare(a.version, 'en', { numeric: true }))[0]?.name ?? '';
