import type { Decided, RunState, Step } from '@praesidor/core/schedule';
import type { ChangeName, Moves } from '@praesidor/core/changes';
import type { Charter } from '@praesidor/core/model';
import type { Shipment as ShipmentRow } from '@praesidor/contract';
import type { z } from 'zod';
import type { ShipmentManifest } from '@praesidor/core/images';
import { EntitySchema } from 'typeorm';
import type { Kind } from '@praesidor/core/model';

/**
 * Declared documents: one table a kind. `doc` is what people set; the other columns are generated from it by
 * PostgreSQL, so that keys, uniqueness and overlaps are enforced whatever the application does. A host stands in three
 * tables (`host`, `host_state`, `host_seen`), and is read as a whole.
 */
export interface DocRow {
  key: string;
  doc: unknown;
  version: number;
  updatedAt: Date;
  updatedBy: string;
}

const docTable = (kind: Kind, table: string) =>
  new EntitySchema<DocRow>({
    name: kind,
    tableName: table,
    columns: {
      key: { type: 'text', primary: true },
      doc: { type: 'jsonb' },
      version: { type: 'int' },
      updatedAt: { type: 'timestamptz', name: 'updated_at' },
      updatedBy: { type: 'text', name: 'updated_by' },
    },
  });

export const tableOf = {
  Site: 'site',
  Network: 'network',
  Gateway: 'gateway',
  Zone: 'zone',
  Profile: 'profile',
  Baseline: 'baseline',
  Mould: 'mould',
  Hypervisor: 'hypervisor',
  Host: 'host',
  Registry: 'registry',
  Release: 'release',
  Addon: 'addon',
  BackupStore: 'backup_store',
  Template: 'template',
  Team: 'team',
  Charter: 'charter',
  Reservation: 'reservation',
  Record: 'name_record',
} as const satisfies Record<Kind, string>;
/** Where whole documents of a kind are read from: their table, or a view of several. */
export const readFrom: Record<Kind, string> = { ...tableOf, Host: 'whole_host' };
export const docTables = Object.fromEntries(
  Object.entries(readFrom).map(([kind, table]) => [kind, docTable(kind as Kind, table)]),
) as Record<Kind, EntitySchema<DocRow>>;

const table = <T extends object>(
  name: string,
  tableName: string,
  columns: ConstructorParameters<typeof EntitySchema<T>>[0]['columns'],
) => new EntitySchema<T>({ name, tableName, columns });
const text = { type: 'text' } as const;
const time = { type: 'timestamptz' } as const;
const json = { type: 'jsonb' } as const;
const id = { type: 'text', primary: true } as const;

export interface Account {
  login: string;
  name: string;
  role: string;
  passwordHash: string;
}
export const Accounts = table<Account>('Account', 'account', {
  login: id,
  name: text,
  role: text,
  passwordHash: { ...text, name: 'password_hash' },
});
export interface Session {
  tokenHash: string;
  login: string;
  csrf: string;
  expiresAt: Date;
}
export const Sessions = table<Session>('Session', 'session', {
  tokenHash: { ...id, name: 'token_hash' },
  login: text,
  csrf: text,
  expiresAt: { ...time, name: 'expires_at' },
});
export interface KeyEntry {
  name: string;
  use: string;
  user: string;
  sealed: Buffer;
  createdAt: Date;
  createdBy: string;
  /** Where it may be sent: documents, host names, prefixes. */
  places: string[];
}
export const Keys = table<KeyEntry>('KeyEntry', 'keyring', {
  name: id,
  use: text,
  user: { ...text, name: 'user_name' },
  sealed: { type: 'bytea' },
  createdAt: { ...time, name: 'created_at' },
  createdBy: { ...text, name: 'created_by' },
  places: json,
});
export interface ClusterSecret {
  charter: string;
  name: string;
  sealed: Buffer;
  about: unknown;
}
export const ClusterSecrets = table<ClusterSecret>('ClusterSecret', 'cluster_secret', {
  charter: id,
  name: id,
  sealed: { type: 'bytea' },
  about: json,
});
export interface CharterRevision {
  charter: string;
  revision: number;
  doc: Charter;
  at: Date;
  by: string;
  note: string;
}
export const CharterRevisions = table<CharterRevision>('CharterRevision', 'charter_revision', {
  charter: id,
  revision: { type: 'int', primary: true },
  doc: json,
  at: time,
  by: text,
  note: text,
});
export interface SightingRow {
  address: string;
  site: string;
  at: Date;
  fingerprint: string;
  accepted: boolean;
  error: string | null;
  facts: unknown;
  place: unknown;
  credential: string | null;
}
export const Sightings = table<SightingRow>('Sighting', 'sighting', {
  address: { type: 'inet', primary: true },
  site: text,
  at: time,
  fingerprint: text,
  accepted: { type: 'boolean' },
  error: { ...text, nullable: true },
  facts: { ...json, nullable: true },
  place: { ...json, nullable: true },
  credential: { ...text, nullable: true },
});
/** The latest of what was observed, by subject: a bill, a registry's content, a served zone. */
export interface Observation {
  kind: string;
  subject: string;
  at: Date;
  data: unknown;
}
export const Observations = table<Observation>('Observation', 'observation', { kind: id, subject: id, at: time, data: json });
type ShipmentState = z.infer<typeof ShipmentRow>['state'];
export interface Shipment {
  id: number;
  label: string;
  source: string;
  target: string;
  way: 'case' | 'link' | 'fast-link';
  bills: string[];
  state: ShipmentState;
  error: string | null;
  /** What kind of fault `error` tells, as the client of the protocol names it, and the registry that it is of. */
  fault: string | null;
  faultAt: string | null;
  createdAt: Date;
  createdBy: string;
  startedAt: Date | null;
  endedAt: Date | null;
  bytes: number;
  declaredBytes: number;
  movedBytes: number;
  phase: string;
  rate: number;
  resumed: number;
  /** Digests of blobs that arrived with other bytes and were sent again. */
  wrong: string[];
  /** The shipment that must have landed before this one begins. */
  after: string | null;
  /** Of a shipment in cases: how large one may be, in bytes. */
  caseBytes: number | null;
  manifest: ShipmentManifest | null;
  /** While the way is closed: when it opens. */
  resumeAt: Date | null;
  /** Who started it last: it goes on in that name. */
  runBy: string | null;
  /** Why it is not landed before somebody has accepted it. */
  unverified: string | null;
  acceptedBy: string | null;
}
const int = { type: 'int' } as const;
const big = { type: 'bigint', transformer: { to: (v: number) => v, from: (v: string) => Number(v) } } as const;
export const Shipments = table<Shipment>('Shipment', 'shipment', {
  id: { type: 'int', primary: true, generated: 'increment' },
  label: text,
  source: text,
  target: text,
  way: text,
  bills: json,
  state: text,
  error: { ...text, nullable: true },
  fault: { ...text, nullable: true },
  faultAt: { ...text, name: 'fault_at', nullable: true },
  createdAt: { ...time, name: 'created_at' },
  createdBy: { ...text, name: 'created_by' },
  startedAt: { ...time, name: 'started_at', nullable: true },
  endedAt: { ...time, name: 'ended_at', nullable: true },
  bytes: big,
  declaredBytes: { ...big, name: 'declared_bytes' },
  movedBytes: { ...big, name: 'moved_bytes' },
  phase: text,
  rate: big,
  resumed: int,
  wrong: { type: 'text', array: true },
  after: { ...text, nullable: true },
  caseBytes: { ...big, name: 'case_bytes', nullable: true },
  manifest: { ...json, nullable: true, select: false },
  resumeAt: { ...time, name: 'resume_at', nullable: true },
  runBy: { ...text, name: 'run_by', nullable: true },
  unverified: { ...text, nullable: true },
  acceptedBy: { ...text, name: 'accepted_by', nullable: true },
});
export interface ShipmentCase {
  shipment: number;
  number: number;
  bytes: number;
  state: 'planned' | 'packed' | 'awaited' | 'waiting' | 'landing' | 'landed' | 'damaged';
  /** What was found wrong with it, by file. */
  bad: { path: string; why: string }[];
  landedAt: Date | null;
}
export const ShipmentCases = table<ShipmentCase>('ShipmentCase', 'shipment_case', {
  shipment: { type: 'int', primary: true },
  number: { type: 'int', primary: true },
  bytes: big,
  state: text,
  bad: json,
  landedAt: { ...time, name: 'landed_at', nullable: true },
});
export interface ShipmentItem {
  shipment: number;
  digest: string;
  repository: string;
  kind: 'blob' | 'manifest';
  bytes: number;
  declaredBytes: number;
  state: 'wanted' | 'landed';
  tag: string | null;
  position: number;
  /** Where the registry keeps what arrived of it, for going on after a kill. */
  upload: string | null;
}
export const ShipmentItems = table<ShipmentItem>('ShipmentItem', 'shipment_item', {
  shipment: { type: 'int', primary: true },
  digest: id,
  repository: id,
  kind: text,
  bytes: big,
  declaredBytes: { ...big, name: 'declared_bytes' },
  state: text,
  tag: { ...text, nullable: true },
  position: int,
  upload: { ...text, nullable: true },
});
/** Long work: steps that are carried out, whatever happens to the process that does it. Its state is the fold of its events. */
export interface RunRow {
  id: number;
  /** Who carries it out: a change of a cluster, work on hosts, a shipment of images, the setting up of a gateway, a backup of volumes, a loss that is tried, the start or stop of a site, a version of a template over its clusters. */
  kind: 'change' | 'work' | 'shipment' | 'gateway' | 'backup' | 'loss' | 'power' | 'rollout';
  /** By which it is told to whoever looks on. */
  subject: string;
  /** What it has for itself while it is under way. */
  exclusive: string | null;
  site: string;
  title: string;
  steps: Step[];
  /** What was asked for beside the hosts, such as which way power goes. */
  asked: Record<string, unknown>;
  state: RunState;
  /** It is its turn: only so many changes of a site are under way at once. */
  admitted: boolean;
  /** Whether a second person has to approve it, and did; without: nobody asks for one. */
  approval: 'asked' | 'given' | null;
  approvedBy: string | null;
  createdAt: Date;
  createdBy: string;
  /** Who began or resumed it last: it goes on in that name. */
  runBy: string | null;
  endedAt: Date | null;
}
export const Runs = table<RunRow>('Run', 'run', {
  id: { type: 'int', primary: true, generated: 'increment' },
  kind: text,
  subject: text,
  exclusive: { ...text, nullable: true },
  site: text,
  title: text,
  steps: json,
  asked: { ...json, default: {} },
  state: text,
  admitted: { type: 'boolean' },
  approval: { ...text, nullable: true },
  approvedBy: { ...text, name: 'approved_by', nullable: true },
  createdAt: { ...time, name: 'created_at' },
  createdBy: { ...text, name: 'created_by' },
  runBy: { ...text, name: 'run_by', nullable: true },
  endedAt: { ...time, name: 'ended_at', nullable: true },
});
/** What a change of a cluster has beside what every run has. */
export interface ChangeRow {
  id: number;
  charter: string;
  number: number;
  /** Which kind of change it is. */
  kind: ChangeName;
  moves: Moves;
  revision: number;
  plan: unknown;
  proof: unknown;
  /** How often it was begun or resumed: each time with boot addresses of its own. */
  bootEpoch: number;
  /** Hosts whose disks are erased, whatever they hold, where they lay them out. */
  erase: string[];
  /** What somebody decided since, by what and for which hosts. */
  decided: Decided;
}
export type BuildRow = ChangeRow & Omit<RunRow, 'kind' | 'asked'>;
export const Builds = table<ChangeRow>('Build', 'build', {
  id: { type: 'int', primary: true },
  charter: text,
  number: int,
  kind: text,
  moves: json,
  revision: int,
  plan: json,
  proof: { ...json, nullable: true },
  bootEpoch: { ...int, name: 'boot_epoch', default: 1 },
  erase: { type: 'text', array: true },
  decided: { ...json, default: {} },
});
export const entities = [
  ...Object.values(docTables),
  Accounts,
  Sessions,
  Keys,
  ClusterSecrets,
  CharterRevisions,
  Sightings,
  Observations,
  Shipments,
  ShipmentItems,
  ShipmentCases,
  Runs,
  Builds,
];
