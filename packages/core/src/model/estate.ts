import type {
  Addon,
  BackupStore,
  Baseline,
  Charter,
  Doc,
  DocOf,
  Gateway,
  Host,
  Hypervisor,
  Kind,
  Mould,
  NameRecord,
  Network,
  Profile,
  Registry,
  Release,
  Reservation,
  Site,
  Team,
  Template,
  Zone,
} from './documents.ts';
import type {
  Acceptance,
  Bill,
  Heard,
  SeenBackups,
  SeenLosses,
  SeenController,
  SeenHypervisor,
  SeenRegistry,
  ServedZone,
  Sighting,
} from './observed.ts';

/** Everything declared and the latest of what was observed: the one input of all computation. */
export interface Estate {
  /** The time that the computation takes for now (ISO 8601). Passed in; core has no clock. */
  now: string;
  sites: Site[];
  networks: Network[];
  gateways: Gateway[];
  hosts: Host[];
  zones: Zone[];
  records: NameRecord[];
  reservations: Reservation[];
  registries: Registry[];
  releases: Release[];
  addons: Addon[];
  backupStores: BackupStore[];
  profiles: Profile[];
  baselines: Baseline[];
  moulds: Mould[];
  hypervisors: Hypervisor[];
  templates: Template[];
  teams: Team[];
  charters: Charter[];
  /** Names of keyring entries, with what they are for; never their content. */
  keys: { name: string; use: string; places: string[] }[];
  /** Findings that somebody lives with. */
  accepted: Acceptance[];
  observed: {
    bills: Record<string, Bill>;
    registries: Record<string, SeenRegistry>;
    hypervisors: Record<string, SeenHypervisor>;
    /** By host: controllers that failed when they were asked last. */
    controllers: Record<string, SeenController>;
    /** By cluster: those of which volumes were backed up from here. */
    backups: Record<string, SeenBackups>;
    losses: Record<string, SeenLosses>;
    zones: Record<string, ServedZone>;
    /** By site: those where another installation stands. */
    heard: Record<string, Heard>;
    sightings: Sighting[];
  };
}

export type Slice =
  | Exclude<keyof Estate, 'now' | 'observed'>
  | 'bills'
  | 'seenRegistries'
  | 'seenHypervisors'
  | 'seenControllers'
  | 'seenBackups'
  | 'servedZones'
  | 'sightings';

export const emptyEstate = (now: string): Estate => ({
  now,
  sites: [],
  networks: [],
  gateways: [],
  backupStores: [],
  hosts: [],
  zones: [],
  records: [],
  reservations: [],
  registries: [],
  releases: [],
  addons: [],
  profiles: [],
  baselines: [],
  moulds: [],
  hypervisors: [],
  templates: [],
  teams: [],
  charters: [],
  keys: [],
  accepted: [],
  observed: {
    bills: {},
    registries: {},
    hypervisors: {},
    controllers: {},
    backups: {},
    losses: {},
    zones: {},
    heard: {},
    sightings: [],
  },
});

export const sliceOf = {
  Site: 'sites',
  Network: 'networks',
  Gateway: 'gateways',
  Host: 'hosts',
  Zone: 'zones',
  Record: 'records',
  Reservation: 'reservations',
  Registry: 'registries',
  Release: 'releases',
  Addon: 'addons',
  BackupStore: 'backupStores',
  Profile: 'profiles',
  Baseline: 'baselines',
  Mould: 'moulds',
  Hypervisor: 'hypervisors',
  Template: 'templates',
  Team: 'teams',
  Charter: 'charters',
} as const satisfies Record<Kind, Slice>;

/** What tells one document of a kind from another. */
export function keyOf(doc: Doc): string {
  if (doc.kind === 'Reservation') return `${doc.network}/${doc.address}`;
  if (doc.kind === 'Record') return `${doc.name} ${doc.type} ${doc.value}`;
  return doc.name;
}

export function find<K extends Kind>(estate: Estate, kind: K, key: string): DocOf<K> | undefined {
  return (estate[sliceOf[kind]] as Doc[]).find((d) => keyOf(d) === key) as DocOf<K> | undefined;
}

export const docsOf = (estate: Estate): Doc[] =>
  (Object.values(sliceOf) as (keyof Estate)[]).flatMap((slice) => estate[slice] as Doc[]);

/** A name as it sorts: its numbers as wide as numbers get, so that lr-2 comes before lr-10. Made once a name. */
const sortKeys = new Map<string, string>();
export function sortKey(name: string): string {
  let key = sortKeys.get(name);
  if (key === undefined) {
    if (sortKeys.size > 50_000) sortKeys.clear();
    key = /\d/.test(name) ? name.replace(/\d+/g, (d) => d.padStart(12, '0')) : name;
    sortKeys.set(name, key);
  }
  return key;
}
/** Host names keep their order by number: lr-2 before lr-10. A collator takes ten times as long over ten thousand. */
export function byName(a: { name: string }, b: { name: string }): number {
  const [x, y] = [sortKey(a.name), sortKey(b.name)];
  return x < y ? -1 : x > y ? 1 : a.name < b.name ? -1 : a.name > b.name ? 1 : 0;
}
