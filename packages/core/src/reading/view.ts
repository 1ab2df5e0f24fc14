import { parsePrefix, prefixRange } from '../address/parse.ts';
import type { Doc, Kind, Network } from '../model/documents.ts';
import { type Estate, keyOf, sliceOf } from '../model/estate.ts';
import { Cells, type Keeper, Once } from './cells.ts';
import { Shelf } from './shelf.ts';
import { groupings, type GroupOf, type Shelved, type ShelfName } from './shelves.ts';
import { blocksUnder, liesIn, speakers, type Spoken, spokenBy } from './speaks.ts';

const hour = 3_600_000;
/** The end of the hour: what is computed from the time is not computed anew every minute, and what ends is told too early rather than too late. */
const hourOf = (now: string): string => new Date(Math.ceil(Date.parse(now) / hour) * hour).toISOString();

const observedShelves = {
  bill: 'bills',
  'seen registry': 'registries',
  'seen hypervisor': 'hypervisors',
  'seen controller': 'controllers',
  'seen backups': 'backups',
  'seen losses': 'losses',
  'served zone': 'zones',
} as const satisfies Partial<Record<ShelfName, keyof Estate['observed']>>;

type Slice = readonly unknown[] | Readonly<Record<string, unknown>>;

/**
 * An estate as it is read: by key, by group, or by what was computed from it. Whatever a computation reads is recorded, so that it is
 * run again when that has changed and not before. Made once, it is given one estate after the other; of what is the same object in
 * both, nothing is looked at.
 */
export class View {
  readonly cells: Keeper;
  private readonly shelves = Object.fromEntries(
    Object.entries(groupings).map(([name, makers]) => [
      name,
      new Shelf(name, makers as never, name === 'sighting' ? (s: { address: string }) => s.address : (keyOf as never)),
    ]),
  ) as unknown as { [K in ShelfName]: Shelf<Shelved[K]> };
  private seen = new Map<ShelfName, Slice>();
  /** Shelves that nobody has looked at yet, and so are not filled. */
  private readonly empty = new Set<ShelfName>(Object.keys(groupings) as ShelfName[]);
  private hour = '';
  private given: Estate | undefined;

  /** @param once for one estate alone: nothing that is read is recorded, which takes less time and memory */
  constructor(estate?: Estate, { once = false } = {}) {
    this.cells = once ? new Once() : new Cells();
    if (estate) this.take(estate);
  }

  /** The estate that it was given last. What reads it whole depends on all of it, and is not recorded: for callers, not for checks. */
  get estate(): Estate {
    if (!this.given) throw new Error('no estate was given');
    return this.given;
  }

  /**
   * Takes an estate in place of the one before.
   *
   * @param all fills every shelf; otherwise only those that were looked at are kept up
   */
  take(estate: Estate, { all = false } = {}): void {
    if (all) this.empty.clear();
    this.given = estate;
    this.fill(estate, (name) => !this.empty.has(name));
  }

  /** A shelf, filled. */
  private shelf<K extends ShelfName>(name: K): Shelf<Shelved[K]> {
    if (this.empty.delete(name)) this.fill(this.estate, (n) => n === name);
    return this.shelves[name];
  }

  private fill(estate: Estate, wanted: (name: ShelfName) => boolean) {
    const changed = new Set<string>();
    // Of a shelf that is filled for the first time nothing was read before.
    const set = (name: ShelfName, key: string, value: unknown) => {
      (this.shelves[name] as Shelf<unknown>).set(key, value, this.seen.has(name) ? changed : undefined);
    };
    const list = <T>(name: ShelfName, now: readonly T[], keyOfIt: (v: T) => string) => {
      const before = this.seen.get(name) as readonly T[] | undefined;
      if (before === now || !wanted(name)) return;
      if (!before) {
        for (const v of now) set(name, keyOfIt(v), v);
        this.seen.set(name, now);
        return;
      }
      this.seen.set(name, now);
      const { from, to, fromBefore, toBefore } = middle(before, now);
      const gone = new Set<string>();
      for (let i = fromBefore; i < toBefore; i++) gone.add(keyOfIt(before[i] as T));
      for (let i = from; i < to; i++) gone.delete(keyOfIt(now[i] as T));
      for (const key of gone) set(name, key, undefined);
      for (let i = from; i < to; i++) set(name, keyOfIt(now[i] as T), now[i]);
    };
    for (const [kind, slice] of Object.entries(sliceOf)) list(kind as Kind, estate[slice] as Doc[], keyOf);
    list('key', estate.keys, (k) => k.name);
    list('acceptance', estate.accepted, (a) => a.finding);
    list('sighting', estate.observed.sightings, (s) => s.address);
    for (const [name, field] of Object.entries(observedShelves) as [keyof typeof observedShelves, keyof Estate['observed']][]) {
      const now = estate.observed[field] as Record<string, unknown>;
      const before = (this.seen.get(name) ?? {}) as Record<string, unknown>;
      if (now === before || !wanted(name)) continue;
      this.seen.set(name, now);
      for (const key of Object.keys(before)) if (!Object.hasOwn(now, key)) set(name, key, undefined);
      for (const key of Object.keys(now)) if (before[key] !== now[key]) set(name, key, now[key]);
    }
    const now = hourOf(estate.now);
    if (now !== this.hour) changed.add('now');
    this.hour = now;
    this.cells.changed(changed);
  }

  /** The time that computation takes for now, in whole hours (ISO 8601). */
  get now(): string {
    this.cells.read('now');
    return this.hour;
  }

  get<K extends ShelfName>(shelf: K, key: string): Shelved[K] | undefined {
    const value = this.shelf(shelf).get(key);
    // What is not there is noticed when anything comes: many ask for what most have not.
    if (this.cells.records) this.cells.read(value === undefined ? `${shelf} keys` : `${shelf} ${key}`);
    return value;
  }
  /** Documents of a group, in the order of their keys. */
  by<K extends ShelfName>(shelf: K, group: GroupOf<K>, of: string): readonly Shelved[K][] {
    if (this.cells.records) this.cells.read(`${shelf}/${group} ${of}`);
    return this.shelf(shelf).in(group, of);
  }
  /** The groups there are. */
  groups<K extends ShelfName>(shelf: K, group: GroupOf<K>): string[] {
    this.cells.read(`${shelf}/${group} keys`);
    return [...this.shelf(shelf).groupKeys(group)];
  }
  /** Groups that have more than one member: for who runs checks, not recorded. */
  shared<K extends ShelfName>(shelf: K, group: GroupOf<K>): ReadonlySet<string> {
    return this.shelf(shelf).shared(group);
  }
  /** All there are, in the order of their keys: whoever asks is run again at each change of one of them. */
  all<K extends ShelfName>(shelf: K): readonly Shelved[K][] {
    this.cells.read(`${shelf} *`);
    return this.shelf(shelf).all();
  }
  /** Names of all there are. */
  keys(shelf: ShelfName): string[] {
    this.cells.read(`${shelf} keys`);
    return [...this.shelf(shelf).keys()];
  }

  /** Something computed once, and again when what it read has changed. What it answers must not be changed by who asks. */
  memo<T>(id: string, run: () => T): T {
    return this.cells.get(id, run);
  }

  /** What is spoken for in a network by documents, without a reservation. `without` leaves out what one charter speaks for. */
  spokenFor(network: Network, without?: { charter: string }): readonly Spoken[] {
    return this.memo(`spoken for ${network.name} ${network.prefix}${without ? ` without ${without.charter}` : ''}`, () => {
      const whole = prefixRange(parsePrefix(network.prefix));
      const look = blocksUnder(network.prefix);
      const docs = new Set<Doc>();
      for (const kind of speakers)
        if (!look) for (const d of this.all(kind)) docs.add(d);
        else for (const block of look.blocks) for (const d of this.by(kind, `speaks ${look.size}`, block)) docs.add(d);
      const ours = (d: Doc) => d.kind === 'Charter' && d.name === without?.charter;
      return [...docs].flatMap((d) => (ours(d) ? [] : spokenBy(d)).filter((s) => liesIn(s, whole)));
    });
  }
}

/** What is between what two lists begin and end with alike. */
function middle<T>(before: readonly T[], now: readonly T[]) {
  let from = 0;
  const shorter = Math.min(before.length, now.length);
  while (from < shorter && before[from] === now[from]) from++;
  let to = now.length;
  let toBefore = before.length;
  while (to > from && toBefore > from && now[to - 1] === before[toBefore - 1]) {
    to--;
    toBefore--;
  }
  return { from, to, fromBefore: from, toBefore };
}

const views = new WeakMap<Estate, View>();
/** A view of an estate that nobody changes: made once for each. */
export function viewOf(estate: Estate | View): View {
  if (estate instanceof View) return estate;
  let v = views.get(estate);
  if (!v) {
    v = new View(estate);
    views.set(estate, v);
  }
  return v;
}
