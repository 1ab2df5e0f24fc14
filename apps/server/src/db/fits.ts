import type { DataSource, QueryRunner } from 'typeorm';
import { locks } from '../jobs/locks.ts';

/** Milliseconds that servers of an earlier version have to end; a machine that died counts as there for four seconds. */
const patience = 10_000;

/**
 * Whether this version may bring the schema up to date, or work with it as it is. Called by one process at a time, before anything is changed.
 * @throws Error when a later version was here, or when processes of an earlier one still run: it says what to do
 */
export async function fits(db: DataSource, runner: QueryRunner, wait = patience): Promise<void> {
  const [{ there }] = (await runner.query("select to_regclass('migrations') is not null as there")) as [{ there: boolean }];
  if (!there) return;
  const known = new Set(db.migrations.map((m) => m.name ?? m.constructor.name));
  const stored = ((await runner.query('select name from migrations order by id')) as { name: string }[]).map((r) => r.name);
  const later = stored.filter((name) => !known.has(name));
  if (later.length)
    throw new Error(
      `This database was brought up to date by a later version, which knows ${later.join(', ')}. This one would misread it. Start that version again, or restore the backup that was made before it (docs/operations.md, Upgrade and roll back).`,
    );
  if (!stored.length || stored.length === known.size) return;
  for (const end = Date.now() + wait; ; ) {
    const [{ live }] = (await runner.query(
      `select count(*)::int as live from pg_locks where locktype = 'advisory' and classid = $1 and objsubid = 2 and granted
         and database = (select oid from pg_database where datname = current_database())`,
      [locks.worker],
    )) as [{ live: number }];
    if (!live) return;
    if (Date.now() > end)
      throw new Error(
        `${live === 1 ? 'A process' : `${live} processes`} of an earlier version still ${live === 1 ? 'works' : 'work'} with this database, and this version has to change its tables. Stop all servers and workers, then start this version.`,
      );
    await new Promise((again) => setTimeout(again, 250));
  }
}
