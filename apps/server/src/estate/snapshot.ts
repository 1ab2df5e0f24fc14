import { promisify } from 'node:util';
import { gzip } from 'node:zlib';
import type { DataSource } from 'typeorm';
import { docTables } from '../db/tables.ts';
import { loadEstate } from './load.ts';

/** The whole estate as it is sent to a browser, read once for all who ask at the same state of the plan. */
export interface Snapshot {
  /** Names this state (RFC 9110 §8.8.3): whoever has it already is told so. */
  etag: string;
  text: Buffer;
  zipped: Buffer;
}
const zip = promisify(gzip);
/** A snapshot tells the time that its findings are reckoned from: it is read anew after this, whatever stands. */
const freshMs = 60_000;

/**
 * Keeps the last snapshot. Whether it still holds is one small question to the database: the position of the last event, and
 * the row versions of what is observed. Many who ask at once wait for one reading.
 */
export class Snapshots {
  private kept: { stamp: string; at: number; snapshot: Snapshot } | undefined;
  private reading: { stamp: string; done: Promise<Snapshot> } | undefined;
  constructor(private readonly db: DataSource) {}

  async get(): Promise<Snapshot> {
    const stamp = await this.stamp();
    if (this.kept?.stamp === stamp && Date.now() - this.kept.at < freshMs) return this.kept.snapshot;
    if (this.reading?.stamp === stamp) return this.reading.done;
    const done = this.read(stamp);
    const reading = { stamp, done };
    this.reading = reading;
    try {
      return await done;
    } finally {
      if (this.reading === reading) this.reading = undefined;
    }
  }

  private async stamp(): Promise<string> {
    const rows = (table: string) => `(select count(*) || '.' || coalesce(sum(xmin::text::bigint), 0) from ${table})`;
    const [row] = (await this.db.query(
      `select concat_ws(' ', (select max(position) from event), ${rows('observation')}, ${rows('sighting')}, ${rows('keyring')}) as stamp`,
    )) as { stamp: string }[];
    return row?.stamp ?? '';
  }

  private async read(stamp: string): Promise<Snapshot> {
    const now = new Date();
    const whole = await this.db.transaction('REPEATABLE READ', async (m) => {
      const { estate, revision } = await loadEstate(m, now);
      const versions: Record<string, number> = {};
      for (const kind of ['Charter', 'Network', 'Site', 'Host'] as const)
        for (const r of await m.find(docTables[kind], { select: { key: true, version: true } }))
          versions[`${kind} ${r.key}`] = r.version;
      return { estate, revision, versions };
    });
    const text = Buffer.from(JSON.stringify(whole));
    const snapshot = { etag: `"${whole.revision}-${now.getTime()}"`, text, zipped: await zip(text, { level: 1 }) };
    this.kept = { stamp, at: now.getTime(), snapshot };
    return snapshot;
  }
}
