import type { EntityManager } from 'typeorm';
import {
  type Doc,
  type DocOf,
  type Edit,
  editDoc,
  type Estate,
  find,
  issuesOf,
  type Kind,
  keyOf,
  kinds,
} from '@praesidor/core/model';
import type { z } from 'zod';
import { type DocRow, docTables, tableOf } from '../db/tables.ts';
import { inWords } from '../db/errors.ts';
import { tell } from '../events/bus.ts';
import { Refusal } from '../refusal.ts';

/** Declared documents in their tables: read, written with their version, edited with an inverse. */
export async function readDoc<K extends Kind>(
  m: EntityManager,
  kind: K,
  key: string,
): Promise<{ doc: DocOf<K>; version: number } | undefined> {
  const row = await m.findOneBy(docTables[kind], { key });
  return row ? { doc: row.doc as DocOf<K>, version: row.version } : undefined;
}

export async function needDoc<K extends Kind>(
  m: EntityManager,
  kind: K,
  key: string,
): Promise<{ doc: DocOf<K>; version: number }> {
  const found = await readDoc(m, kind, key);
  if (!found) throw new Refusal('not-found', `There is no ${kind.toLowerCase()} ${key}.`);
  return found;
}

/** Validates in our words. @throws Refusal with the places */
export function validDoc(raw: unknown): Doc {
  const kind = (raw as { kind?: Kind } | null)?.kind;
  const schema = kind && Object.hasOwn(kinds, kind) ? (kinds[kind] as unknown as z.ZodType) : undefined;
  if (!schema)
    throw new Refusal('invalid', `The document has no kind that is known; kinds are ${Object.keys(kinds).join(', ')}.`);
  const r = schema.safeParse(raw);
  if (r.success) return r.data as Doc;
  const places = issuesOf(r.error, schema).map((i) => ({ path: i.path.join('.'), code: i.code, message: i.message }));
  throw new Refusal('invalid', `${kind} cannot be taken: ${places[0]?.path ? `${places[0].path}: ` : ''}${places[0]?.message}`, {
    places,
  });
}

/**
 * Writes a document. With `version` only if it still has that version, otherwise refused with what stands
 * there now, so that a second person's edit is shown and not overwritten.
 */
export async function writeDoc(m: EntityManager, doc: Doc, who: string, version?: number): Promise<number> {
  const table = tableOf[doc.kind];
  const key = keyOf(doc);
  try {
    const rows = (await m.query(
      version === undefined
        ? `insert into ${table} (key, doc, updated_by) values ($1, $2, $3) on conflict (key) do update set doc = excluded.doc, version = ${table}.version + 1, updated_at = now(), updated_by = excluded.updated_by returning version`
        : version === 0
          ? `insert into ${table} (key, doc, updated_by) values ($1, $2, $3) on conflict (key) do nothing returning version`
          : `with u as (update ${table} set doc = $2, version = version + 1, updated_at = now(), updated_by = $3 where key = $1 and version = $4 returning version) select version from u`,
      version ? [key, JSON.stringify(doc), who, version] : [key, JSON.stringify(doc), who],
    )) as { version: number }[];
    if (!rows[0]) {
      const now = (await m.findOneBy(docTables[doc.kind], { key })) as DocRow | null;
      throw new Refusal(
        'conflict',
        now
          ? `${doc.kind} ${key} was changed by ${now.updatedBy} in the meantime.`
          : `${doc.kind} ${key} was removed in the meantime.`,
        {
          current: now ? { doc: now.doc, version: now.version, by: now.updatedBy } : undefined,
          remedy: 'Look at both, then save again.',
        },
      );
    }
    await tell(m, doc.kind, key);
    return rows[0].version;
  } catch (e) {
    throw inWords(e);
  }
}

/** Adds a document that must not be there yet; PostgreSQL decides between two that come at once. */
export async function insertDoc(m: EntityManager, doc: Doc, who: string): Promise<void> {
  try {
    await m.query(`insert into ${tableOf[doc.kind]} (key, doc, updated_by) values ($1, $2, $3)`, [
      keyOf(doc),
      JSON.stringify(doc),
      who,
    ]);
    await tell(m, doc.kind, keyOf(doc));
  } catch (e) {
    const said = inWords(e);
    throw doc.kind === 'Reservation' && said instanceof Refusal && said.code === 'conflict'
      ? new Refusal('held-twice', `${doc.address} has just been reserved by somebody else.`, {
          remedy: 'Take the next free one.',
        })
      : said;
  }
}

export async function dropDoc(m: EntityManager, kind: Kind, key: string): Promise<void> {
  try {
    const { length } = (await m.query(`with d as (delete from ${tableOf[kind]} where key = $1 returning key) select key from d`, [
      key,
    ])) as unknown[];
    if (!length) throw new Refusal('not-found', `There is no ${kind.toLowerCase()} ${key}.`);
    await tell(m, kind, key);
  } catch (e) {
    throw inWords(e);
  }
}

/**
 * Makes the edits in order and answers with the edits that undo them. A charter that was changed has a new
 * revision under `note`.
 */
export async function makeEdits(m: EntityManager, edits: readonly Edit[], who: string, note: string): Promise<Edit[]> {
  const inverse: Edit[] = [];
  for (const edit of edits) {
    const kind = edit.op === 'put' ? edit.doc.kind : edit.kind;
    const key = edit.op === 'put' ? keyOf(edit.doc) : edit.key;
    const before = await readDoc(m, kind, key);
    inverse.unshift(before ? { op: 'put', doc: before.doc as Doc } : { op: 'drop', kind, key });
    if (edit.op === 'drop') {
      await dropDoc(m, kind, key);
      continue;
    }
    let after: Doc | undefined;
    try {
      after = editDoc(edit, before?.doc as Doc | undefined);
    } catch (cause) {
      throw new Refusal('invalid', (cause as Error).message);
    }
    if (after) await writeDoc(m, after, who);
    if (kind === 'Charter') await keepRevision(m, key, who, note);
  }
  return inverse;
}

export function needIn<K extends Kind>(estate: Estate, kind: K, key: string): DocOf<K> {
  const doc = find(estate, kind, key);
  if (!doc) throw new Refusal('not-found', `There is no ${kind.toLowerCase()} ${key}.`);
  return doc;
}

/** The charter as it stands now, as a revision after the ones it has. */
const keepRevision = (m: EntityManager, charter: string, who: string, note: string) =>
  m.query(
    'insert into charter_revision select key, coalesce((select max(revision) from charter_revision where charter = key), 0) + 1, doc, now(), $2, $3 from charter where key = $1',
    [charter, who, note],
  );

/** @throws Refusal when one of the documents was changed by anybody after the event that the person had seen */
export async function refuseChangedSince(
  m: EntityManager,
  docs: readonly { kind: string; key: string }[],
  revision: number,
): Promise<void> {
  // One after another for each document: who comes second sees what the first has changed. In one order, so that nobody waits in a ring.
  await m.query(
    'select pg_advisory_xact_lock(727006, h) from (select distinct hashtext(k) as h from unnest($1::text[]) k order by h offset 0) one',
    [docs.map((d) => `${d.kind} ${d.key}`)],
  );
  const [found] = (await m.query(
    'select e.kind, e.subject from event e join unnest($1::text[], $2::text[]) as d(kind, key) on d.kind = e.kind and d.key = e.subject where e.id > $3 limit 1',
    [docs.map((d) => d.kind), docs.map((d) => d.key), revision],
  )) as { kind: string; subject: string }[];
  if (found)
    throw new Refusal('conflict', `${found.kind} ${found.subject} was changed by somebody else in the meantime.`, {
      remedy: 'What you typed is kept. Look at what it would change now, then save again.',
    });
}
