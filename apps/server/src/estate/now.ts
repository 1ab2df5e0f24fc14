import type { Estate } from '@praesidor/core/model';
import type { DataSource } from 'typeorm';
import { loadEstate } from './load.ts';

interface Kept {
  estate: Estate;
  revision: number;
  at: number;
}
const kept = new WeakMap<DataSource, { last?: Kept; loading?: Promise<Kept> }>();
/** How long what is observed and not told (a sighting, a round of looks) may be missing, in milliseconds. */
const longest = 2000;

/**
 * The estate with everything that was told by now, for whoever asks many times a second: it is read anew when something but the course of
 * long work was told since, and at least every two seconds.
 */
export async function estateNow(db: DataSource): Promise<Estate> {
  const own = kept.get(db) ?? {};
  kept.set(db, own);
  const { last } = own;
  if (last && Date.now() - last.at < longest) {
    const [{ changed } = { changed: true }] = (await db.query(
      "select exists (select 1 from event where position > $1 and kind not in ('Build', 'Work', 'Shipment', 'Setup')) as changed",
      [last.revision],
    )) as { changed: boolean }[];
    if (!changed) return last.estate;
  }
  // Who asks while it is read may be told what was read before something came: they read once more, all together.
  if (own.loading) await own.loading.catch(() => undefined);
  own.loading ??= loadEstate(db)
    .then((e) => {
      own.last = { ...e, at: Date.now() };
      return own.last;
    })
    .finally(() => {
      own.loading = undefined;
    });
  return (await own.loading).estate;
}
