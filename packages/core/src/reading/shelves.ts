import { billsOf } from '../model/bills.ts';
import { credentialOf } from '../access/credentials.ts';
import { parsePrefix } from '../address/parse.ts';
import type { Doc, DocOf, Kind } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import type {
  Acceptance,
  Bill,
  SeenBackups,
  SeenLosses,
  SeenController,
  SeenHypervisor,
  SeenRegistry,
  ServedZone,
  Sighting,
} from '../model/observed.ts';
import type { Groups } from './shelf.ts';
import { spokenBlocks } from './speaks.ts';

/** What stands on a shelf: documents by kind, and what was observed. */
export type Shelved = { [K in Kind]: DocOf<K> } & {
  key: Estate['keys'][number];
  acceptance: Acceptance;
  bill: Bill;
  'seen registry': SeenRegistry;
  'seen hypervisor': SeenHypervisor;
  'seen controller': SeenController;
  'seen backups': SeenBackups;
  'seen losses': SeenLosses;
  'served zone': ServedZone;
  sighting: Sighting;
};
export type ShelfName = keyof Shelved;

const speaks = {
  'speaks fine': (d: Doc) => spokenBlocks(d, 'fine'),
  'speaks coarse': (d: Doc) => spokenBlocks(d, 'coarse'),
};
const credential = { credential: (d: Doc) => credentialOf(d)?.entry };
/** Networks that a gateway has an address in. */
const networksOf = (g: DocOf<'Gateway'>) => [
  ...new Set([...g.members.flatMap((m) => m.interfaces), ...g.addresses].map((f) => f.network)),
];
/** A name without its first label. */
const domainOf = (name: string): string => name.slice(name.indexOf('.') + 1);
/** What addresses are grouped by for reverse zones: the /24, or the /64. */
export const reverseBlock = (address: string): string =>
  address.includes(':') ? `6/${parsePrefix(`${address}/128`).n >> 64n}` : address.slice(0, address.lastIndexOf('.'));

/** Ways to ask for documents that belong together: for each, which groups a document is in. A new one is a line. */
export const groupings = {
  Site: { ...speaks },
  Network: {
    ...speaks,
    site: (n: DocOf<'Network'>) => n.site,
    parent: (n: DocOf<'Network'>) => n.parent,
    precinct: (n: DocOf<'Network'>) => n.precinct,
    vlan: (n: DocOf<'Network'>) => (n.vlan === undefined ? undefined : `${n.site} ${n.vlan} ${n.prefix.includes(':') ? 6 : 4}`),
    routesTo: (n: DocOf<'Network'>) => n.routesTo,
  },
  Gateway: { ...speaks, site: (g: DocOf<'Gateway'>) => g.site, networks: (g: DocOf<'Gateway'>) => networksOf(g) },
  Zone: { ...speaks, ...credential, site: (z: DocOf<'Zone'>) => z.site },
  Profile: {},
  Baseline: {},
  Mould: {},
  Hypervisor: { ...speaks, ...credential, site: (h: DocOf<'Hypervisor'>) => h.site },
  Host: {
    ...speaks,
    ...credential,
    site: (h: DocOf<'Host'>) => h.site,
    charter: (h: DocOf<'Host'>) => h.held?.charter,
    hypervisor: (h: DocOf<'Host'>) => h.guest?.hypervisor,
    mac: (h: DocOf<'Host'>) => [...new Set(h.facts?.nics.map((n) => n.mac))],
    controller: (h: DocOf<'Host'>) => h.bmc?.address,
    serial: (h: DocOf<'Host'>) => h.facts?.serial || undefined,
  },
  Registry: { ...speaks, ...credential, site: (r: DocOf<'Registry'>) => r.site, role: (r: DocOf<'Registry'>) => r.role },
  Release: { source: (r: DocOf<'Release'>) => r.source },
  Addon: { source: (a: DocOf<'Addon'>) => a.source },
  BackupStore: { ...speaks, ...credential, site: (s: DocOf<'BackupStore'>) => s.site },
  Template: {},
  Team: {},
  Charter: {
    ...speaks,
    template: (c: DocOf<'Charter'>) => c.template?.name,
    team: (c: DocOf<'Charter'>) => c.team,
    site: (c: DocOf<'Charter'>) => c.site,
    network: (c: DocOf<'Charter'>) => c.machineNetwork,
    mirror: (c: DocOf<'Charter'>) => c.mirror,
    bill: (c: DocOf<'Charter'>) => billsOf(c),
  },
  Reservation: {
    network: (r: DocOf<'Reservation'>) => r.network,
    owner: (r: DocOf<'Reservation'>) => `${r.owner.kind} ${r.owner.name}`,
    address: (r: DocOf<'Reservation'>) => r.address,
    name: (r: DocOf<'Reservation'>) => r.name,
    mac: (r: DocOf<'Reservation'>) => (r.mac && !r.resting ? `${r.network} ${r.mac}` : undefined),
    /** Of those that have a name: by its domain, and by the block of its address. */
    domain: (r: DocOf<'Reservation'>) => (r.name && !r.resting ? domainOf(r.name) : undefined),
    block: (r: DocOf<'Reservation'>) => (r.name && !r.resting ? reverseBlock(r.address) : undefined),
  },
  Record: { zone: (r: DocOf<'Record'>) => r.zone },
  key: {},
  acceptance: {},
  bill: {},
  'seen registry': {},
  'seen hypervisor': {},
  'seen controller': {},
  'seen backups': {},
  'seen losses': {},
  'served zone': {},
  sighting: { site: (s: Sighting) => s.site },
} satisfies { [K in ShelfName]: Record<string, (value: never) => Groups> };
export type GroupOf<K extends ShelfName> = keyof (typeof groupings)[K] & string;
