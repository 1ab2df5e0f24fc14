import { randomInt, randomUUID } from 'node:crypto';
import { link, mkdir, readFile, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type pg from 'pg';

/** Lock numbers: the folder that a server uses, held as long as it lives; and one that lets one server at a time look. */
const locks = { folder: 729, looking: 727_012 } as const;
const mark = '.folder';

/** The number of the folder that cases and kits lie in: drawn by whoever first uses it, and kept in the folder. */
export async function folderNumber(dir: string): Promise<number> {
  await mkdir(dir, { recursive: true, mode: 0o700 });
  const file = join(dir, mark);
  const read = async () => Number(await readFile(file, 'utf8').catch(() => Number.NaN));
  const known = await read();
  if (known) return known;
  // Linked when it is whole: of two that draw at once, both read the one that came first.
  const draft = `${file}.${randomUUID()}`;
  await writeFile(draft, `${randomInt(1, 2_000_000_000)}\n`);
  await link(draft, file).catch(() => undefined);
  await rm(draft, { force: true });
  const number = await read();
  if (!number) throw new Error(`PRAESIDOR_DATA, ${dir}, holds ${mark}, which is no number: remove that file and start again.`);
  return number;
}

/**
 * Says over a connection which folder this server uses, for as long as that connection lives. Whatever one server packs
 * another may be asked for, so all of an installation use one.
 * @throws Error when other servers use another folder
 */
export async function holdFolder(client: pg.Client, dir: string): Promise<void> {
  const number = await folderNumber(dir);
  await client.query('select pg_advisory_lock($1)', [locks.looking]);
  try {
    const { rows } = await client.query(
      `select objid from pg_locks
        where locktype = 'advisory' and granted and objsubid = 2 and classid = $1 and objid::bigint <> $2
          and database = (select oid from pg_database where datname = current_database())`,
      [locks.folder, number],
    );
    if (rows.length)
      throw new Error(
        `PRAESIDOR_DATA, ${dir}, is another folder than the other servers of this installation use: what one packs, another could not read. Mount one folder at all of them.`,
      );
    await client.query('select pg_advisory_lock_shared($1, $2)', [locks.folder, number]);
  } finally {
    await client.query('select pg_advisory_unlock($1)', [locks.looking]).catch(() => undefined);
  }
}
