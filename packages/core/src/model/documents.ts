import { z } from 'zod';
import { Limits } from '../schedule/steps.ts';
import { BackupStore } from './backup.ts';
import { plannable, plannedValue } from '../naming/record-types.ts';
import { Charter, type OverlayKind, overlayKinds, PoolRole } from './charter.ts';
import { doc } from './doc.ts';
import { Gateway, StaticRoute, TrafficRule } from './gateway.ts';
import { precinctFaults, Precincts } from './precincts.ts';
import { Team } from './team.ts';
import { Template } from './template.ts';
import { Facts, Media } from './facts.ts';
import { Manifests } from './manifests.ts';
import { Question, questionFaults } from './question.ts';
import { FactName, Requirement, RoleName } from './requirement.ts';
import {
  Arch,
  Cidr,
  FileName,
  Fqdn,
  Hostport,
  Hours,
  ImagePrefix,
  ImageRef,
  Instant,
  InterfaceName,
  Ip,
  Label,
  Line,
  Mac,
  Name,
  NameIn,
  Pem,
  RangeText,
  RecordName,
  RepositoryPath,
  ServerList,
  TimeZone,
  VersionName,
} from './words.ts';

/**
 * Everything people declare, one schema a kind. The API validates with these, the YAML import reads
 * them, JSON Schema is generated from them. A new kind is one schema here and one line in `kinds`.
 */

const StartSeconds = z.number().int().min(0).max(86_400).optional();
export const Site = doc('Site', {
  name: Name,
  title: Line(80, 1),
  form: z.enum(['hall', 'sealed-room', 'edge']),
  reach: z.enum(['open', 'thin', 'sealed']),
  link: z
    .strictObject({
      rateMbit: z.number().positive().max(1e6),
      hours: Hours.optional(),
    })
    .optional(),
  /** A faster way that is there at times only: a berth, a visit with a van. Its shipments are planned by choice. */
  fastLink: z
    .strictObject({
      rateMbit: z.number().positive().max(1e6),
      hours: Hours.optional(),
    })
    .optional(),
  /** Nothing of it is changed by one person alone: a second one approves. */
  fourEyes: z.boolean().optional(),
  timezone: TimeZone.default('UTC'),
  domain: Fqdn,
  resolvers: ServerList.default([]),
  ntp: ServerList.default([]),
  racks: z
    .array(
      z.strictObject({
        name: Label,
        units: z.number().int().min(1).max(60).default(42),
        /** What may be drawn from its feeds together, in watts. */
        limitW: z.number().int().positive().max(200_000).optional(),
      }),
    )
    .max(500)
    .default([]),
  /** Failure domains: a zone is a run of units in a rack, a whole rack where no units are named. */
  zones: z
    .array(
      z.strictObject({
        name: Label,
        rack: Label,
        from: z.number().int().optional(),
        to: z.number().int().optional(),
      }),
    )
    .max(500)
    .default([]),
  /** Whom to call about it, and for what: they stand in its site book. */
  contacts: z
    .array(z.strictObject({ name: Line(80, 1), for: Line(80).optional(), call: Line(120, 1) }))
    .max(50)
    .optional(),
  /** How much may happen at once there, where it is not as usual. */
  limits: Limits.optional(),
  /** Seconds from power until things there do their work, where they are known. */
  starts: z
    .strictObject({
      switch: StartSeconds,
      gateway: StartSeconds,
      device: StartSeconds,
      hypervisor: StartSeconds,
      host: StartSeconds,
      guest: StartSeconds,
    })
    .optional(),
});

/** What a pool is set aside for: hosts, virtual addresses, published services, inbound routers, outbound NAT. */
export const PoolUse = z.enum(['host', 'virtual', 'service', 'inbound', 'outbound']);

export const Network = doc('Network', {
  name: Name,
  site: Name,
  purpose: z.enum(['management', 'provisioning', 'machine', 'storage', 'tunnel', 'uplink', 'service', 'client']),
  vlan: z.number().int().min(1).max(4094).optional(),
  prefix: Cidr,
  gateway: Ip.optional(),
  mtu: z.number().int().min(576).max(9216).default(1500),
  dhcp: z
    .array(
      z.strictObject({
        name: Name,
        range: RangeText,
        inside: Name.optional(),
        /** Routes that it gives beside the address (RFC 3442): clients that take them leave the gateway that it gives aside (option 3). */
        routes: z.array(StaticRoute).max(64).optional(),
      }),
    )
    .max(64)
    .default([]),
  pools: z
    .array(z.strictObject({ name: Name, range: RangeText, use: PoolUse, inside: Name.optional() }))
    .max(64)
    .default([]),
  /** The network that this one is carved out of: it may lie inside that one, and in no other. */
  parent: Name.optional(),
  /** Precincts of clusters are carved out of this one: how long the prefix of each is, and what it gets beside it. */
  precincts: Precincts.optional(),
  /** The cluster whose precinct it is: its own network, given back with it. */
  precinct: Name.optional(),
  /** Resolvers and time servers of this network, where they are others than the site's. */
  resolvers: ServerList.optional(),
  ntp: ServerList.optional(),
  /** Static routes of the network's router: where to, over which next hop. */
  routes: z.array(StaticRoute).max(500).default([]),
  /** What its router lets pass; where a gateway is declared, that one's rules count. */
  rules: z.array(TrafficRule).max(1000).optional(),
  /** Tunnel networks: who ends tunnels here. */
  endpoints: z.enum(['host', 'gateway']).optional(),
  /** Networks that traffic from here can be routed to. */
  routesTo: z.array(Name).max(500).default([]),
}).superRefine((n, ctx) => {
  for (const { path, message } of precinctFaults(n)) ctx.addIssue({ code: 'custom', path: ['precincts', ...path], message });
});

/** What a role asks of a machine, in this estate instead of the usual. */
export const Profile = doc('Profile', {
  name: RoleName,
  title: Line(40, 1),
  needs: z.array(Requirement).min(1).max(40),
});

export const HostState = z.enum(['sighted', 'listed', 'fit', 'held', 'serving', 'resting', 'retired']);
export const ClusterRole = z.enum(['control-plane', 'worker']);
/** Another authority of a cluster is trusted first, then issues, then is trusted alone. */
export const AuthorityStage = z.union([z.literal(1), z.literal(2), z.literal(3)]);
export type AuthorityStage = z.infer<typeof AuthorityStage>;
const RackName = Label;
/** Where something stands: its lowest unit, how many it takes, and from which side it is screwed in. */
const place = {
  rack: RackName.optional(),
  unit: z.number().int().min(1).max(60).optional(),
  height: z.number().int().min(1).max(20).optional(),
  side: z.enum(['front', 'rear']).optional(),
  depth: z.enum(['half', 'full']).optional(),
  zone: Label.optional(),
  /** The power feed that it draws from, where it is one alone. */
  feed: Label.optional(),
};
/** From where a host starts until it has a system on its disk: over HTTP, from a medium that its controller plays, or by PXE. */
export const StartSource = z.enum(['http', 'media', 'pxe']);
const Fingerprint = z.string().regex(/^([0-9A-F]{2}:){31}[0-9A-F]{2}$/, 'a SHA-256 fingerprint: 32 hex pairs');
export const Host = doc('Host', {
  name: NameIn('hosts'),
  site: Name,
  state: HostState.default('listed'),
  ...place,
  bmc: z
    .strictObject({ address: Ip, credential: Name, fingerprint: Fingerprint.optional(), boot: StartSource.optional() })
    .optional(),
  /**
   * What carries its machine network: one of its adapters, or several as a bond (IEEE 802.1AX, or one that leads); with the network's
   * VLAN tagged, or as the port's own. Without it: the first adapter that has a link, untagged.
   */
  uplink: z
    .strictObject({
      adapters: z.array(Line(60, 1)).min(1).max(8),
      bond: z.enum(['active-backup', '802.3ad']).optional(),
      tagged: z.boolean().default(false),
    })
    .optional(),
  held: z
    .strictObject({
      charter: Name,
      role: ClusterRole,
      pool: Name.optional(),
      /** Of one that serves: the release that it was installed with last, and the change that laid out its disks. */
      release: VersionName.optional(),
      installed: Line(40).optional(),
      /** It was installed by something else, with the cluster that was taken in. */
      elsewhere: z.literal(true).optional(),
      /** When the first of the certificates that it was given ends. */
      certificates: Instant.optional(),
      /** When the first of the authorities that it trusts ends, and which change of them comes next. */
      authority: z.strictObject({ ends: Instant, stage: AuthorityStage }).optional(),
    })
    .optional(),
  /** A guest: the mould it is cast from, where it stands, and whom it must stand apart from. */
  guest: z
    .strictObject({ mould: Name, hypervisor: Name, pools: z.array(Name).max(20).default([]), group: Name.optional() })
    .optional(),
  /** Nothing runs on it any more, although it serves: confirmed by somebody. */
  drained: z.boolean().optional(),
  /** The proof that its drives were wiped: when, how, and what each drive answered. */
  wiped: z.strictObject({ at: Instant, by: Line(80), drives: z.array(Line(200)).max(200) }).optional(),
  facts: Facts.optional(),
});

/** A machine that guests run on. What it has is declared; what it says of itself is observed beside it. */
export const Hypervisor = doc('Hypervisor', {
  name: Name,
  site: Name,
  ...place,
  endpoint: Hostport,
  credential: Name,
  /** Trust anchors in PEM for its certificate. */
  ca: Pem.optional(),
  cores: z.number().int().positive().max(4096),
  memoryGiB: z.number().positive().max(100_000),
  /** What it keeps of its memory for itself. */
  keepsGiB: z.number().nonnegative().default(8),
  /** How many times over processor cores may be promised. */
  overcommit: z.number().min(1).max(32).default(4),
  pools: z
    .array(z.strictObject({ name: Name, media: Media, sizeGB: z.number().positive() }))
    .min(1)
    .max(50),
  /** Networks that guests can be put on, each by its bridge. */
  networks: z
    .array(z.strictObject({ network: Name, bridge: InterfaceName }))
    .max(100)
    .default([]),
});

/** What a guest is cast from. */
export const Mould = doc('Mould', {
  name: Name,
  title: Line(80).default(''),
  vcpu: z.number().int().min(1).max(512),
  memoryGiB: z.number().positive().max(16_384),
  /** The first disk is written from the image; the others are empty. */
  disks: z
    .array(z.strictObject({ sizeGB: z.number().positive().max(1_000_000), media: Media.optional() }))
    .min(1)
    .max(20),
  image: FileName,
  arch: Arch.default('x86-64'),
  networks: z.array(Name).min(1).max(16),
});

export const Owner = z.strictObject({
  kind: z.enum(['charter', 'host', 'registry', 'site', 'hand']),
  name: Line(80, 1),
  use: Line(80).optional(),
});
export const Reservation = doc('Reservation', {
  address: Ip,
  network: Name,
  name: Fqdn.optional(),
  mac: Mac.optional(),
  owner: Owner,
  origin: z.enum(['follows', 'by-hand', 'imported', 'sighted']).default('by-hand'),
  since: Instant.optional(),
  /** Given back, and resting until then: only given when requested by address. */
  resting: z.boolean().optional(),
  /** When a reservation ends by itself, or a resting one is free again. */
  until: Instant.optional(),
  note: Line(200).optional(),
});

export const Zone = doc('Zone', {
  name: Fqdn,
  site: Name,
  /** Address of the primary server, where signed updates go. */
  primary: Ip,
  servers: z.array(Fqdn).min(1).max(13),
  contact: Fqdn,
  key: Name,
  ttl: z.number().int().min(0).max(2147483647).default(3600),
});

/** Types that people plan: those of the table of record types that are neither the server's own nor a signer's. */
export const RecordType = z.enum(plannable as [string, ...string[]]);
export const NameRecord = doc('Record', {
  zone: Fqdn,
  name: RecordName,
  type: RecordType,
  /** Its data as a master file has it; names with several labels are absolute, with one they are of the zone. */
  value: Line(4000, 1),
  ttl: z.number().int().min(0).max(2147483647).optional(),
})
  .superRefine((r, ctx) => {
    const read = plannedValue(r.type, r.value, r.zone);
    const wrong = (path: string, message: string) => ctx.addIssue({ code: 'custom', path: [path], message });
    if ('fault' in read) wrong('value', read.fault);
    const apex = ['@', r.zone].includes(r.name);
    if (r.type === 'DS' && apex) wrong('name', 'DS stands in the zone above, at the name of the one it is about');
    if (r.type === 'CNAME' && apex) wrong('name', 'the top of a zone cannot be a CNAME: it has NS and SOA (RFC 1034 §3.6.2)');
    if (r.type === 'NS' && r.name.startsWith('*')) wrong('name', 'a wildcard cannot delegate (RFC 4592 §4.2)');
  })
  .overwrite((r) => {
    const read = plannedValue(r.type, r.value, r.zone);
    return 'value' in read ? { ...r, value: read.value } : r;
  });

export const Registry = doc('Registry', {
  name: Name,
  site: Name,
  role: z.enum(['source', 'starter', 'standing']),
  endpoint: Hostport,
  host: Name.optional(),
  diskGB: z.number().positive().optional(),
  credential: Name.optional(),
  /** Trust anchors in PEM; without them the registry's certificate cannot be verified. */
  ca: Pem.optional(),
  /** Images that are kept here under another path than their own: names that begin with `source` stand below `under`. */
  keeps: z
    .array(z.strictObject({ source: ImagePrefix, under: RepositoryPath }))
    .max(50)
    .optional(),
});

const Component = z.strictObject({
  name: Name,
  image: ImageRef,
  on: z.enum(['control-plane', 'worker', 'node', 'boot', 'cluster']),
  version: Line(60).optional(),
  /** Architectures that it is made for, where it is not all of the release's. */
  arch: z.array(Arch).min(1).optional(),
  /** Operating systems that it runs on, where it is not all of the release's: components with `on: boot`, by name. */
  systems: z.array(Name).min(1).max(50).optional(),
});
/** How far a component may lag behind, or run ahead of, another, in minor versions. */
const Skew = z.strictObject({
  component: Name,
  against: Name,
  behind: z.number().int().min(0).max(9),
  ahead: z.number().int().min(0).max(9).default(0),
});
export const Release = doc('Release', {
  name: VersionName,
  version: z.string().regex(/^\d+\.\d+\.\d+$/, 'major.minor.patch'),
  arch: z.array(Arch).min(1),
  source: Name,
  components: z.array(Component).min(1).max(2000),
  skew: z.array(Skew).max(200).optional(),
  /** Versions that can be moved to this one without a stop between, as a range such as `>=1.33.0 <1.34.0`. */
  upgradesFrom: Line(200).optional(),
  /** What its API serves no more: a version of a group, or one kind of it, and what took its place. */
  removed: z
    .array(
      z.strictObject({
        api: z
          .string()
          .max(200)
          .regex(/^([a-z0-9.-]+\/)?v[a-z0-9]+$/, 'a version of the API such as policy/v1beta1'),
        kind: z
          .string()
          .max(80)
          .regex(/^[A-Z][A-Za-z]+$/, 'a kind such as PodDisruptionBudget')
          .optional(),
        instead: Line(200).optional(),
      }),
    )
    .max(200)
    .optional(),
  /** What the system that machines boot must contain, beside what every boot kit asks. */
  system: z
    .array(z.strictObject({ name: Line(80, 1), atLeast: Line(60).optional(), from: Line(200).optional() }))
    .max(200)
    .optional(),
});
export const Addon = doc('Addon', {
  name: VersionName,
  title: Line(80),
  version: Line(40),
  source: Name,
  arch: z.array(Arch).min(1).optional(),
  components: z.array(Component).min(1).max(200),
  /** What it brings in place of the release's own. */
  provides: z.enum(['pod-network']).optional(),
  /** What it is made of where it brings its own objects: Kubernetes manifests as YAML, given to the API as they stand. */
  manifests: Manifests.optional(),
  /** Its questions: each cluster that has it answers them. */
  questions: z.array(Question).max(50).optional(),
  /** Releases that it runs with, as a range of versions. */
  runsWith: Line(200).optional(),
}).superRefine((a, ctx) => {
  for (const f of questionFaults(a.questions ?? []))
    ctx.addIssue({ code: 'custom', path: ['questions', f.at, f.field], message: f.message });
});
/** The firmware that machines of a model are to have. `system` alone is enough; parts say how each is brought there. */
export const Baseline = doc('Baseline', {
  name: Name,
  model: Line(80),
  system: Line(60).optional(),
  parts: z
    .array(
      z.strictObject({
        part: Line(60, 1),
        atLeast: Line(60, 1),
        below: Line(60).optional(),
        to: Line(60).optional(),
        image: z
          .url({ protocol: /^https?$/ })
          .max(500)
          .optional(),
        after: z.array(Line(60)).max(20).default([]),
        reboot: z.boolean().default(false),
        minutes: z.number().positive().max(600).default(5),
      }),
    )
    .max(50)
    .default([]),
});

export { BackupStore, Gateway, Team, Template };
export { Charter, FactName, type OverlayKind, overlayKinds, PoolRole, Requirement, RoleName };

/** The catalogue of kinds; the order is the order in which an import must write them. */
export const kinds = {
  Site,
  Network,
  Gateway,
  Zone,
  Profile,
  Baseline,
  Mould,
  Hypervisor,
  Host,
  Registry,
  Release,
  Addon,
  BackupStore,
  Template,
  Team,
  Charter,
  Reservation,
  Record: NameRecord,
} as const;
export type Kind = keyof typeof kinds;
export type Site = z.infer<typeof Site>;
export type Network = z.infer<typeof Network>;
export type Host = z.infer<typeof Host>;
export type Reservation = z.infer<typeof Reservation>;
export type Owner = z.infer<typeof Owner>;
export type Zone = z.infer<typeof Zone>;
export type NameRecord = z.infer<typeof NameRecord>;
export type Registry = z.infer<typeof Registry>;
export type Release = z.infer<typeof Release>;
export type Addon = z.infer<typeof Addon>;
export type Baseline = z.infer<typeof Baseline>;
export type Profile = z.infer<typeof Profile>;
export type Mould = z.infer<typeof Mould>;
export type Hypervisor = z.infer<typeof Hypervisor>;
export type ClusterRole = z.infer<typeof ClusterRole>;
export type Doc =
  | Site
  | Network
  | Gateway
  | Zone
  | Profile
  | Baseline
  | Mould
  | Hypervisor
  | Host
  | Registry
  | Release
  | Addon
  | BackupStore
  | Template
  | Team
  | Charter
  | Reservation
  | NameRecord;
export type DocOf<K extends Kind> = z.infer<(typeof kinds)[K]>;
