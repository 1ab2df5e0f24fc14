import type { BundleManifest } from '@praesidor/core/bundles';
import type { Doc } from '@praesidor/core/model';
import type { EntityManager } from 'typeorm';
import { Refusal } from '../../refusal.ts';

/** An installation that is trusted here. */
export interface Other {
  name: string;
  key: string;
  /** The sites at which it stands, as somebody here said; none where this one stands at its sites. */
  sites: string[];
}
/** A bundle that was made here for another installation (`to`), or was brought from one (`from`). */
export interface BundleRow {
  id: number;
  key: string;
  way: 'to' | 'from';
  number: number;
  made: Date;
  madeBy: string;
  sites: string[];
  revision: number;
  /** The last bundle of its receiver that its maker had taken in. */
  taken: number;
  state: 'made' | 'waiting' | 'taken';
  changes: BundleManifest['changes'];
  bytes: number;
  sha256: string;
  at: Date;
  by: string;
  takenAt: Date | null;
  takenBy: string | null;
  /** Whether its file is kept here still. */
  kept: boolean;
}
const columns =
  'id, key, way, number, made, made_by as "madeBy", sites, revision::int as revision, taken, state, changes, bytes, sha256, at, by, taken_at as "takenAt", taken_by as "takenBy", content is not null as kept';

export const othersOf = (m: EntityManager): Promise<Other[]> =>
  m.query('select name, public_key as key, sites from trusted_instance order by name') as Promise<Other[]>;

/** @throws Refusal when no installation of that name is trusted here */
export async function needOther(m: EntityManager, name: string): Promise<Other> {
  const [row] = (await m.query('select name, public_key as key, sites from trusted_instance where name = $1', [name])) as Other[];
  if (!row)
    throw new Refusal('not-found', `No installation ${name} is trusted here.`, {
      remedy: 'Add its key: Images, Rules and trust.',
    });
  return row;
}

/** Bundles to and from an installation are made and taken in one after the other. */
export const lockOther = (m: EntityManager, key: string): Promise<unknown> =>
  m.query('select pg_advisory_xact_lock(727023, hashtext($1))', [key]);

export const bundlesOf = (m: EntityManager, key: string): Promise<BundleRow[]> =>
  m.query(`select ${columns} from bundle where key = $1 order by number desc, way`, [key]) as Promise<BundleRow[]>;

/** @throws Refusal */
export async function needBundle(m: EntityManager, id: number): Promise<BundleRow> {
  const [row] = (await m.query(`select ${columns} from bundle where id = $1`, [id])) as BundleRow[];
  if (!row) throw new Refusal('not-found', `There is no bundle ${id} here.`);
  return row;
}
export const lastTaken = (list: readonly BundleRow[]): BundleRow | undefined =>
  list.find((b) => b.way === 'from' && b.state === 'taken');

/** @returns the file of a bundle; it is kept until the other installation is known to have a later one */
export async function contentOf(m: EntityManager, b: BundleRow): Promise<Buffer> {
  const [row] = (await m.query('select content from bundle where id = $1', [b.id])) as { content: Buffer | null }[];
  if (!row?.content)
    throw new Refusal('not-found', `The file of bundle ${b.number} is not kept any more.`, { remedy: 'Make another one.' });
  return row.content;
}
/** The documents of a bundle; of one that was made here, brought forward by those that were taken in since. */
export async function documentsOf(m: EntityManager, id: number): Promise<Doc[]> {
  const [row] = (await m.query('select documents from bundle where id = $1', [id])) as { documents: Doc[] | null }[];
  return row?.documents ?? [];
}
