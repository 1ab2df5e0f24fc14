import type { Doc, Kind } from '@praesidor/core/model';
import type { DataSource } from 'typeorm';
import { docTables } from '../db/tables.ts';
import type { ComputeWorker } from '../compute/compute-worker.ts';

/** Documents that are read and written at a time. */
const page = 250;

/** The whole plan as YAML, in one snapshot of the database, a page at a time; written beside the event loop. */
export async function* planAsText(db: DataSource, compute: Pick<ComputeWorker, 'run'>): AsyncGenerator<string> {
  const runner = db.createQueryRunner();
  await runner.startTransaction('REPEATABLE READ');
  let first = true;
  try {
    for (const kind of Object.keys(docTables) as Kind[]) {
      for (let after = ''; ; ) {
        const rows = (await runner.query(
          `select key, doc from ${db.getMetadata(docTables[kind]).tablePath} where key > $1 collate "C" order by key collate "C" limit ${page}`,
          [after],
        )) as { key: string; doc: Doc }[];
        if (!rows.length) break;
        yield `${first ? '' : '---\n'}${await compute.run('writeDocuments', { docs: rows.map((r) => r.doc) })}`;
        first = false;
        after = rows.at(-1)?.key ?? after;
        if (rows.length < page) break;
      }
    }
  } finally {
    // Nothing was written: whether whoever reads went away or all was sent, it ends the same.
    await runner.rollbackTransaction().catch(() => undefined);
    await runner.release();
  }
}
