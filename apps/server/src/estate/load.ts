import type { DataSource, EntityManager } from 'typeorm';
import {
  type Acceptance,
  type Bill,
  type Doc,
  emptyEstate,
  type Estate,
  type Heard,
  type Kind,
  type SeenBackups,
  type SeenLosses,
  type SeenController,
  type SeenHypervisor,
  type SeenRegistry,
  type ServedZone,
  type Sighting,
  sliceOf,
} from '@praesidor/core/model';
import { Keys, readFrom, type SightingRow, Sightings, tableOf } from '../db/tables.ts';
import { KeptRows } from './kept-rows.ts';

/** What is kept of the rows of a database between two readings. */
interface Rows {
  docs: Record<Kind, KeptRows<Doc>>;
  observed: KeptRows<{ kind: string; subject: string; data: unknown }>;
}
const newRows = (): Rows => ({
  docs: Object.fromEntries(
    Object.entries(readFrom).map(([kind, table]) => [
      kind,
      new KeptRows(table, 'key', 'doc', kind === 'Host' ? 'row_version' : undefined),
    ]),
  ) as Rows['docs'],
  // A blank never stands in a kind.
  observed: new KeptRows(
    'observation',
    "kind || ' ' || subject",
    "jsonb_build_object('kind', kind, 'subject', subject, 'data', data)",
  ),
});
const rowsOf = new WeakMap<DataSource, Rows>();

/**
 * The estate as it stands, with the id of the last event it includes. Read in one snapshot: of its own, or of the transaction that
 * `db` is in. Documents that nobody wrote since the last reading are the same objects; nobody may change them.
 */
export async function loadEstate(
  db: DataSource | EntityManager,
  now = new Date(),
): Promise<{ estate: Estate; revision: number }> {
  const source = 'connection' in db ? (db as EntityManager).connection : (db as DataSource);
  if ('queryRunner' in db && db.queryRunner) return read(db as EntityManager, keptOf(source), now, false);
  const rows = keptOf(source);
  return source.transaction('REPEATABLE READ', (m) => read(m, rows, now));
}

/** The time for what looks at the whole estate: what depends on the time alone is then computed once a minute, and not each time. */
export const thisMinute = (): Date => new Date(Math.floor(Date.now() / 60_000) * 60_000);

/** As `loadEstate`, in the snapshot of a transaction that has written nothing itself: what is kept of the rows serves it too. */
export const loadKept = (m: EntityManager, now: Date) => read(m, keptOf(m.connection), now);
function keptOf(source: DataSource): Rows {
  const rows = rowsOf.get(source) ?? newRows();
  rowsOf.set(source, rows);
  return rows;
}

async function read(m: EntityManager, rows: Rows, now: Date, keep = true): Promise<{ estate: Estate; revision: number }> {
  const estate = emptyEstate(now.toISOString());
  const [{ last } = { last: '0' }] = (await m.query('select coalesce(max(position), 0) as last from event')) as {
    last: string;
  }[];
  for (const kind of Object.keys(tableOf) as Kind[])
    (estate[sliceOf[kind]] as unknown[]) = (await rows.docs[kind].read(m, keep)).map(([, doc]) => doc);
  estate.keys = (await m.find(Keys, { select: { name: true, use: true, places: true } })).map(({ name, use, places }) => ({
    name,
    use,
    places,
  }));
  estate.accepted = (
    (await m.query('select finding, text, reason, by, at, until from acceptance order by finding')) as (Omit<
      Acceptance,
      'at' | 'until'
    > & {
      at: Date;
      until: Date;
    })[]
  ).map((a) => ({ ...a, at: a.at.toISOString(), until: a.until.toISOString() }));
  for (const [, o] of await rows.observed.read(m, keep)) {
    if (o.kind === 'bill') estate.observed.bills[o.subject] = o.data as Bill;
    else if (o.kind === 'registry') estate.observed.registries[o.subject] = o.data as SeenRegistry;
    else if (o.kind === 'hypervisor') estate.observed.hypervisors[o.subject] = o.data as SeenHypervisor;
    else if (o.kind === 'controller') estate.observed.controllers[o.subject] = o.data as SeenController;
    else if (o.kind === 'losses') estate.observed.losses[o.subject] = o.data as SeenLosses;
    else if (o.kind === 'backups') estate.observed.backups[o.subject] = o.data as SeenBackups;
    else if (o.kind === 'heard') estate.observed.heard[o.subject] = o.data as Heard;
    else if (o.kind === 'zone') estate.observed.zones[o.subject] = o.data as ServedZone;
  }
  estate.observed.sightings = (await m.find(Sightings)).map(sightingOf);
  return { estate, revision: Number(last) };
}

const sightingOf = (r: SightingRow): Sighting => ({
  address: r.address.split('/')[0] ?? r.address,
  site: r.site,
  at: r.at.toISOString(),
  fingerprint: r.fingerprint,
  accepted: r.accepted,
  ...(r.error ? { error: r.error } : {}),
  ...(r.facts ? { facts: r.facts as Sighting['facts'] } : {}),
  ...(r.place ? { place: r.place as NonNullable<Sighting['place']> } : {}),
});

export async function observe(
  m: EntityManager,
  kind: 'bill' | 'registry' | 'zone' | 'hypervisor' | 'controller' | 'backups' | 'losses' | 'heard',
  subject: string,
  data: unknown,
): Promise<void> {
  await m.query(
    'insert into observation (kind, subject, at, data) values ($1, $2, now(), $3) on conflict (kind, subject) do update set at = now(), data = excluded.data',
    [kind, subject, JSON.stringify(data)],
  );
}
