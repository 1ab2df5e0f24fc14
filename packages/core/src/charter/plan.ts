import type { MirrorRule } from '../images/mirror.ts';
import type { StorageClass } from '../model/charter.ts';
import type { Charter, ClusterRole, DocOf, Network, Release, Reservation, Site } from '../model/documents.ts';
import type { Section } from '../model/fields/field.ts';
import type { Facts } from '../model/facts.ts';
import type { Announcement } from '../reach/announce.ts';
import type { Rule } from './reasons.ts';
import type { PlannedService } from './services.ts';
import type { Spread } from './spread.ts';

/** Why something follows: by which rule, from which figures, and from which field of the charter. Its words stand in `reasons.ts`. */
export interface Reason {
  rule: Rule;
  figures: Record<string, string | number>;
  field?: (string | number)[];
}
/** What Praesidor computed, with the chain it came from. `section` is the § of the sheet it stands in. */
export interface Follow {
  id: string;
  section: Section;
  label: string;
  text: string;
  mono: boolean;
  why: Reason[];
}
/** What carries the machine network of a node. */
export interface PlannedUplink {
  adapters: { name: string; mac: string }[];
  bond?: 'active-backup' | '802.3ad';
  /** The tag of the machine network on it. */
  vlan?: number;
}
export interface PlannedInterface {
  network: string;
  address: string;
  /** Bits of the network's prefix. */
  length: number;
  vlan: number;
  mtu: number;
  /** The interface with the address, and the link below it. */
  nic: string;
  on: string;
  /** The adapter below, where it carries nothing of the machine network. */
  adapter?: { name: string; mac: string };
}
export interface PlannedNode {
  host: string;
  role: ClusterRole;
  /** The pool that it is in, with what that marks it with: labels, and taints. */
  pool: string;
  labels: readonly string[];
  taints: readonly string[];
  zone: string;
  rack: string;
  /** The power feed that it draws from, where it is one alone. */
  feed?: string;
  address: string;
  name: string;
  /** Of its first adapter. */
  mac: string;
  /** The interface that has its address. */
  nic: string;
  uplink?: PlannedUplink;
  /** Its address of the other version of IP, at the same interface, with the bits of its network's prefix. */
  second?: { address: string; length: number };
  /** Its addresses in further networks, and the interface that has each: a VLAN on what carries it. */
  further?: PlannedInterface[];
  bmc?: string;
  /** What it starts from, where it is a machine: a component of the release, by name. */
  system?: string;
  /** It is a guest: where it is cast, and from which mould. */
  guest?: { hypervisor: string; mould: string };
  facts: Facts;
  kept: boolean;
  why: string;
}
export interface PlannedCertificate {
  name: string;
  commonName: string;
  organization?: string;
  names: string[];
  addresses: string[];
  signer: 'cluster-ca' | 'front-ca' | 'etcd-ca' | 'self';
  server: boolean;
  client: boolean;
  days: number;
}
/** What keeps a plan from being whole; the checks turn these into findings. */
export interface Problem {
  about:
    | 'site'
    | 'release'
    | 'system'
    | 'addon'
    | 'mirror'
    | 'network'
    | 'control-plane'
    | 'workers'
    | 'addresses'
    | 'bill'
    | 'answers';
  path: (string | number)[];
  text: string;
  /** What it names and is not declared. */
  named?: string;
  wanted?: number;
  found?: number;
}

/** A storage class with what follows for it. */
export interface PlannedClass {
  name: string;
  kind: StorageClass['kind'];
  standard: boolean;
  reclaim: StorageClass['reclaim'];
  filesystem: 'ext4' | 'xfs';
  apart: 'host' | 'rack' | 'zone';
  /** A copy shares that with another rather than have no place; never a host. */
  mayShare?: boolean | undefined;
  /** How many places there are that are so apart; hosts, where they may share. */
  places: number;
  copies: number;
  /** How a copy that is lost is made anew: seconds after its host counts as lost, and Gbit/s that one host takes in. */
  rebuild?: { after: number; gbit: number } | undefined;
  server?: string;
  path?: string;
}
/** What was answered to a question of an add-on; of a secret: the entry of the keyring. */
export interface AddonAnswer {
  addon: string;
  question: string;
  ask: string;
  value: string;
  secret: boolean;
  /** It stands in the charter, and is not the default. */
  set: boolean;
}

export interface Plan {
  charter: Charter;
  site?: Site;
  network?: Network;
  /** Further networks of its nodes. */
  networks: Network[];
  /** The network of the other version of IP, on the same link. */
  secondNetwork?: Network;
  release?: Release;
  mirror?: DocOf<'Registry'>;
  nodes: PlannedNode[];
  notChosen: { host: string; why: string }[];
  /** Of the control plane: domains used, of those that as many hosts could use. */
  spread: Spread[];
  api: { name: string; address: string; port: number };
  inbound: { name: string; address: string };
  /** Services that are planned, with their addresses of the service pool. */
  services: PlannedService[];
  /** Both ways of making them known, with what each gives and takes; none: nothing is published. */
  announcing: Announcement[];
  /** Whether the addresses of the nodes are a block. */
  inARow: boolean;
  /** In seconds: a lease, when a host counts as lost, what its pods wait longer, when they are elsewhere, what they have to stop. */
  timers: { lease: number; grace: number; tolerate: number; stop: number; moved: number };
  proxy?: { url: string; except: string[] };
  storage: PlannedClass[];
  answers: AddonAnswer[];
  podMtu: { link: number; overhead: number; pod: number };
  room: { nodes: number; podsPerNode: number; services: number };
  quorum: { members: number; majority: number; tolerates: number };
  capacity: {
    cores: number;
    memoryGiB: number;
    coresAfterLoss: number;
    memoryAfterLoss: number;
    /** Without the zone, or the rack, that holds most; where there are several. */
    withoutZone?: { name: string; cores: number; memoryGiB: number };
    withoutRack?: { name: string; cores: number; memoryGiB: number };
  };
  images: {
    names: string[];
    images: number;
    blobs: number;
    declaredBytes: number;
    bytes: number;
    missingBlobs: number;
    missingDeclaredBytes: number;
    missingImages: string[];
    known: boolean;
  };
  /** Later releases that there are: over which the cluster would get there, and which of its add-ons do not run with it. */
  upgrades: { to: string; path: string[] | undefined; hinders: string[] }[];
  mirrorRules: MirrorRule[];
  certificates: PlannedCertificate[];
  /** Reservations this charter needs, those already held among them. */
  reservations: Reservation[];
  follows: Follow[];
  problems: Problem[];
}
/** A plan without what the sheet says of it. */
export type Computed = Omit<Plan, 'follows'>;
