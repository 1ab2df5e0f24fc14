import type { DataSource, EntityManager } from 'typeorm';
import { record } from '../audit.ts';

/** Acts of one seal at the most. */
export const mostSealed = 1000;
const lock = 727_011;

/**
 * Seals what was put on record since the last seal: each seal is a digest of the one before it and of all acts since. Done by one server at a time, for those acts alone before which
 * nothing can come any more. @returns how many acts were sealed
 */
export async function seal(db: DataSource): Promise<number> {
  const [{ more } = { more: false }] = (await db.query(
    'select exists (select 1 from audit where id > coalesce((select max(last) from audit_seal), 0)) as more',
  )) as { more: boolean }[];
  // Nobody is held up where nothing was put down.
  const through = more ? await settled(db) : undefined;
  let sealed = 0;
  while (through !== undefined) {
    const acts = await db.transaction((m) => sealNext(m, through));
    if (!acts) break;
    sealed += acts;
  }
  return sealed;
}

/** The last act before which no other can come: whoever puts one down holds the table, and is waited for a moment. Undefined: somebody takes long; later. */
const settled = (db: DataSource): Promise<number | undefined> =>
  db
    .transaction(async (m) => {
      await m.query("set local lock_timeout = '300ms'");
      try {
        await m.query('lock table audit in share mode');
      } catch (e) {
        if ((e as { driverError?: { code?: string } }).driverError?.code === '55P03') return undefined;
        throw e;
      }
      const [row] = (await m.query('select max(id)::bigint as last from audit')) as { last: string | null }[];
      return row?.last == null ? undefined : Number(row.last);
    })
    .catch((e: unknown) => {
      // The transaction that gave up is at its end.
      if ((e as { driverError?: { code?: string } }).driverError?.code === '25P02') return undefined;
      throw e;
    });

async function sealNext(m: EntityManager, through: number): Promise<number> {
  const [{ mine } = { mine: false }] = (await m.query('select pg_try_advisory_xact_lock($1) as mine', [lock])) as {
    mine: boolean;
  }[];
  if (!mine) return 0;
  const rows = (await m.query(
    `with before as (select n, last, digest from audit_seal order by n desc limit 1),
       base as (select coalesce((select n from before), 0) as n, coalesce((select last from before), 0) as last, coalesce((select digest from before), ''::bytea) as digest),
       part as (select max(id) as last from (select id from audit where id > (select last from base) and id <= $1 order by id limit $2) p)
     insert into audit_seal (n, after, last, acts, digest)
     select base.n + 1, base.last, part.last, d.acts, d.digest from base, part, audit_digest(base.digest, base.last, part.last) d where part.last is not null returning acts`,
    [through, mostSealed],
  )) as { acts: number }[];
  return rows[0]?.acts ?? 0;
}

export interface Broken {
  /** Acts of the seal that does not fit: those after the first, up to the second. */
  after: number;
  last: number;
  at: string;
}
interface Seal {
  n: string;
  after: string;
  last: string;
  acts: number;
  good: boolean;
  /** It begins where the one before it ended. */
  joined: boolean;
  at: Date;
}

/**
 * Holds the record against its seals, from the first on, a few at a time so that nobody waits. What does not fit was changed or removed after it was put down: it is put on record, once, and
 * told to whoever is told of drift. @returns the seals that do not fit
 */
export async function checkRecord(db: DataSource): Promise<Broken[]> {
  const broken: Broken[] = [];
  let n = 0;
  for (;;) {
    const list = (await db.query(
      `select s.n, s.after, s.last, s.acts, s.at, d.acts = s.acts and d.digest = s.digest as good, s.after = coalesce(p.last, 0) and (p.n is not null or s.n = 1) as joined
       from audit_seal s left join audit_seal p on p.n = s.n - 1, audit_digest(coalesce(p.digest, ''::bytea), s.after, s.last) d where s.n > $1 order by s.n limit 20`,
      [n],
    )) as Seal[];
    for (const s of list)
      if (!s.good || !s.joined) broken.push({ after: Number(s.after), last: Number(s.last), at: s.at.toISOString() });
    const last = list.at(-1);
    if (!last) break;
    n = Number(last.n);
  }
  await db.transaction(async (m) => {
    const [known] = (await m.query('select broken from audit_check for update')) as { broken: Broken[] }[];
    await m.query(
      'insert into audit_check (at, through, broken) values (now(), $1, $2) on conflict (one) do update set at = excluded.at, through = excluded.through, broken = excluded.broken',
      [n, JSON.stringify(broken)],
    );
    for (const b of broken)
      if (!known?.broken.some((k) => k.last === b.last))
        await record(
          m,
          'Praesidor',
          'found the record changed',
          `acts ${b.after + 1} to ${b.last}`,
          { sealed: b.at },
          undefined,
          'plan.edit',
          {
            about: 'drift',
          },
        );
  });
  return broken;
}

/** Whether nobody has checked within the hour; whoever asks takes the turn. */
const checkDue = async (db: DataSource): Promise<boolean> =>
  (
    (await db.query(
      `insert into audit_check (at, through) values (now(), 0)
       on conflict (one) do update set at = now() where audit_check.at < now() - interval '1 hour' returning one`,
    )) as unknown[]
  ).length > 0;

/** Seals by the few seconds, and checks by the hour, by whichever server comes first. @returns what ends that */
export function keepSealed(db: DataSource, log: (what: string, more: object) => void, every = 10_000): () => Promise<void> {
  let busy: Promise<unknown> = Promise.resolve();
  const go = () => {
    busy = busy
      .then(async () => {
        await seal(db);
        if (await checkDue(db)) await checkRecord(db);
      })
      .catch((e: Error) => log('record', { error: e.message }));
  };
  go();
  const timer = setInterval(go, every);
  return async () => {
    clearInterval(timer);
    await busy;
  };
}
