import type { DataSource, EntityManager } from 'typeorm';
import {
  type Bill,
  emptyEstate,
  type Estate,
  type Kind,
  type SeenHypervisor,
  type SeenRegistry,
  type ServedZone,
  type Sighting,
  sliceOf,
} from '@praesidor/core/model';
import { docTables, Keys, Observations, type SightingRow, Sightings } from '../db/tables.ts';

/** The estate as it stands, with the id of the last event it includes. Read in one snapshot. */
export async function loadEstate(
  db: DataSource | EntityManager,
  now = new Date(),
): Promise<{ estate: Estate; revision: number }> {
  const read = async (m: EntityManager) => {
    const estate = emptyEstate(now.toISOString());
    const [{ last } = { last: '0' }] = (await m.query('select coalesce(max(position), 0) as last from event')) as {
      last: string;
    }[];
    for (const kind of Object.keys(docTables) as Kind[]) {
      const rows = await m.find(docTables[kind], { order: { key: 'ASC' } });
      (estate[sliceOf[kind]] as unknown[]) = rows.map((r) => r.doc);
    }
    estate.keys = (await m.find(Keys, { select: { name: true, use: true, places: true } })).map(({ name, use, places }) => ({
      name,
      use,
      places,
    }));
    for (const o of await m.find(Observations)) {
      if (o.kind === 'bill') estate.observed.bills[o.subject] = o.data as Bill;
      else if (o.kind === 'registry') estate.observed.registries[o.subject] = o.data as SeenRegistry;
      else if (o.kind === 'hypervisor') estate.observed.hypervisors[o.subject] = o.data as SeenHypervisor;
      else if (o.kind === 'zone') estate.observed.zones[o.subject] = o.data as ServedZone;
    }
    estate.observed.sightings = (await m.find(Sightings)).map(sightingOf);
    return { estate, revision: Number(last) };
  };
  return 'transaction' in db && !('queryRunner' in db && db.queryRunner)
    ? (db as DataSource).transaction('REPEATABLE READ', read)
    : read(db as EntityManager);
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
  kind: 'bill' | 'registry' | 'zone' | 'hypervisor',
  subject: string,
  data: unknown,
): Promise<void> {
  await m.query(
    'insert into observation (kind, subject, at, data) values ($1, $2, now(), $3) on conflict (kind, subject) do update set at = now(), data = excluded.data',
    [kind, subject, JSON.stringify(data)],
  );
}
