import type { MirrorRule } from '../images/mirror.ts';
import type { Charter, ClusterRole, DocOf, Network, Release, Reservation, Site } from '../model/documents.ts';
import type { Facts } from '../model/facts.ts';
import type { Rule } from './reasons.ts';

/** Why something follows: by which rule, from which figures, and from which field of the charter. Its words stand in `reasons.ts`. */
export interface Reason {
  rule: Rule;
  figures: Record<string, string | number>;
  field?: (string | number)[];
}
/** What Praesidor computed, with the chain it came from. `section` is the § of the sheet it stands in. */
export interface Follow {
  id: string;
  section: 1 | 2 | 3 | 4 | 5;
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
export interface PlannedNode {
  host: string;
  role: ClusterRole;
  zone: string;
  rack: string;
  address: string;
  name: string;
  /** Of its first adapter. */
  mac: string;
  /** The interface that has its address. */
  nic: string;
  uplink?: PlannedUplink;
  bmc?: string;
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
  about: 'site' | 'release' | 'addon' | 'mirror' | 'network' | 'control-plane' | 'workers' | 'addresses' | 'bill';
  path: (string | number)[];
  text: string;
  /** What it names and is not declared. */
  named?: string;
  wanted?: number;
  found?: number;
}

export interface Plan {
  charter: Charter;
  site?: Site;
  network?: Network;
  release?: Release;
  mirror?: DocOf<'Registry'>;
  nodes: PlannedNode[];
  notChosen: { host: string; why: string }[];
  api: { name: string; address: string };
  inbound: { name: string; address: string };
  /** Whether the addresses of the nodes are a block. */
  inARow: boolean;
  /** In seconds: a lease, when a host counts as lost, what its pods wait longer, when they are elsewhere, what they have to stop. */
  timers: { lease: number; grace: number; tolerate: number; stop: number; moved: number };
  proxy?: { url: string; except: string[] };
  podMtu: { link: number; overhead: number; pod: number };
  room: { nodes: number; podsPerNode: number; services: number };
  quorum: { members: number; majority: number; tolerates: number };
  capacity: { cores: number; memoryGiB: number; coresAfterLoss: number; memoryAfterLoss: number };
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
  mirrorRules: MirrorRule[];
  certificates: PlannedCertificate[];
  /** Reservations this charter needs, those already held among them. */
  reservations: Reservation[];
  follows: Follow[];
  problems: Problem[];
}
/** A plan without what the sheet says of it. */
export type Computed = Omit<Plan, 'follows'>;
