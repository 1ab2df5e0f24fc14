import type { Estate } from '../model/estate.ts';
import type { Shelved, ShelfName } from './shelves.ts';
import type { View } from './view.ts';

/** Readings by name, each recorded. */
function seen<K extends ShelfName>(view: View, shelf: K): Record<string, Shelved[K]> {
  return new Proxy({} as Record<string, Shelved[K]>, {
    get: (_, key) => (typeof key === 'string' ? view.get(shelf, key) : undefined),
    has: (_, key) => typeof key === 'string' && view.get(shelf, key) !== undefined,
    ownKeys: () => view.keys(shelf),
    getOwnPropertyDescriptor: (_, key) => {
      const value = typeof key === 'string' ? view.get(shelf, key) : undefined;
      return value === undefined ? undefined : { value, enumerable: true, configurable: true };
    },
  });
}

/** An estate that is read where it is looked at, in place of one that is handed over whole. Lists in `own` stand in place of its own. */
export function readAs(view: View, own: { [S in keyof Estate]?: () => Estate[S] | readonly unknown[] } = {}): Estate {
  const lists = {
    sites: 'Site',
    networks: 'Network',
    gateways: 'Gateway',
    hosts: 'Host',
    zones: 'Zone',
    records: 'Record',
    reservations: 'Reservation',
    registries: 'Registry',
    releases: 'Release',
    addons: 'Addon',
    backupStores: 'BackupStore',
    profiles: 'Profile',
    baselines: 'Baseline',
    moulds: 'Mould',
    hypervisors: 'Hypervisor',
    templates: 'Template',
    teams: 'Team',
    charters: 'Charter',
    keys: 'key',
    accepted: 'acceptance',
  } as const;
  const out = {} as Estate;
  for (const [slice, shelf] of Object.entries(lists) as [keyof typeof lists, ShelfName][])
    Object.defineProperty(out, slice, { enumerable: true, get: own[slice] ?? (() => view.all(shelf)) });
  Object.defineProperty(out, 'now', { enumerable: true, get: () => view.now });
  Object.defineProperty(out, 'observed', {
    enumerable: true,
    value: {
      bills: seen(view, 'bill'),
      registries: seen(view, 'seen registry'),
      hypervisors: seen(view, 'seen hypervisor'),
      controllers: seen(view, 'seen controller'),
      backups: seen(view, 'seen backups'),
      losses: seen(view, 'seen losses'),
      zones: seen(view, 'served zone'),
      get sightings() {
        return view.all('sighting');
      },
    },
  });
  return out;
}

/** The part of an estate that is at one site, with what belongs to no site. */
export const estateAt = (view: View, site: string): Estate =>
  readAs(view, {
    sites: () => [view.get('Site', site)].filter((s) => s !== undefined),
    networks: () => view.by('Network', 'site', site),
    gateways: () => view.by('Gateway', 'site', site),
    hosts: () => view.by('Host', 'site', site),
    zones: () => view.by('Zone', 'site', site),
    hypervisors: () => view.by('Hypervisor', 'site', site),
    charters: () => view.by('Charter', 'site', site),
    reservations: () => view.by('Network', 'site', site).flatMap((n) => view.by('Reservation', 'network', n.name)),
  });
