import type { EntityManager } from 'typeorm';
import {
  type Change,
  type Collision,
  type Doc,
  type DocOf,
  type Edit,
  editDoc,
  type Estate,
  find,
  type Host,
  issuesOf,
  type Kind,
  keyOf,
  kinds,
  nearest,
  partsOf,
  same,
  sliceOf,
} from '@praesidor/core/model';
import type { z } from 'zod';
import { docTables, readFrom, tableOf } from '../db/tables.ts';
import { toRefusal } from '../db/errors.ts';
import { fieldsOf, tellChanges } from '../events/bus.ts';
import { inTurns, listText } from '../compute/turns.ts';
import { Refusal } from '../refusal.ts';

/** Declared documents in their tables: read, locked, written many at a time. What may be done to them is decided elsewhere. */
export interface Standing<K extends Kind = Kind> {
  doc: DocOf<K>;
  version: number;
  by: string;
  at: Date;
}
const order = Object.keys(kinds) as Kind[];

export async function readDoc<K extends Kind>(m: EntityManager, kind: K, key: string): Promise<Standing<K> | undefined> {
  const row = await m.findOneBy(docTables[kind], { key });
  return row ? { doc: row.doc as DocOf<K>, version: row.version, by: row.updatedBy, at: row.updatedAt } : undefined;
}

export async function needDoc<K extends Kind>(m: EntityManager, kind: K, key: string): Promise<Standing<K>> {
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

export interface Ref {
  kind: Kind;
  key: string;
}
export const nameOf = (d: Ref) => `${d.kind} ${d.key}`;

/**
 * Documents as they stand, locked until the transaction ends: whoever else wants to write them waits, and nobody waits
 * in a ring, since all lock in one order. Those that are not there cannot be locked; their keys decide between two.
 *
 * @param held with `leave`, documents that somebody else holds are left out instead of waited for
 * @returns by `Kind key`
 */
export async function lockDocs(
  m: EntityManager,
  refs: readonly Ref[],
  held: 'wait' | 'leave' = 'wait',
): Promise<Map<string, Standing>> {
  return rowsOf(m, refs, held === 'leave' ? 'for update skip locked' : 'for update');
}
/** One host as it stands, all parts of it locked. @throws Refusal when there is none */
export async function lockHost(m: EntityManager, name: string): Promise<Host> {
  const found = (await lockDocs(m, [{ kind: 'Host', key: name }])).get(`Host ${name}`);
  if (!found) throw new Refusal('not-found', `There is no host ${name}.`);
  return found.doc as Host;
}
/** Documents as they stand, by `Kind key`; nobody is kept from writing them. */
export const readDocs = (m: EntityManager, refs: readonly Ref[]): Promise<Map<string, Standing>> => rowsOf(m, refs, '');

async function rowsOf(m: EntityManager, refs: readonly Ref[], lock: string): Promise<Map<string, Standing>> {
  const out = new Map<string, Standing>();
  for (const kind of order) {
    const keys = [...new Set(refs.filter((r) => r.kind === kind).map((r) => r.key))].sort();
    if (!keys.length) continue;
    const rows = (await m.query(
      `select key, doc, version, updated_by as by, updated_at as at from ${readFrom[kind]} where key = any($1) order by key ${lock}`,
      [keys],
    )) as (Standing & { key: string })[];
    for (const { key, ...row } of rows) out.set(`${kind} ${key}`, row);
  }
  return out;
}

/** What one person does to documents in one act; a charter that changed has a new revision under `note`. */
export interface Deed {
  by: string;
  note: string;
  changes: readonly Change[];
}

/** Writes what became of locked documents: one deed. */
export const writeChanges = (m: EntityManager, changes: readonly Change[], by: string, note: string): Promise<void> =>
  writeDeeds(m, [{ by, note, changes }]);

/**
 * Writes what became of locked documents, a statement a kind however many deeds: those that refer before those that are
 * referred to when they go, and the other way round when they come. No document may stand in two deeds.
 */
export async function writeDeeds(m: EntityManager, deeds: readonly Deed[]): Promise<void> {
  const real: Signed[] = [];
  for (const { by, note, changes } of deeds)
    real.push(
      ...(await inTurns(changes, (part) => part.filter((c) => !same(c.before, c.after)).map((c) => ({ ...c, by, note })))),
    );
  try {
    for (const kind of [...order].reverse()) {
      const keys = real.filter((c) => c.kind === kind && !c.after).map((c) => c.key);
      if (keys.length) await m.query(`delete from ${tableOf[kind]} where key = any($1)`, [keys]);
    }
    for (const kind of order) await write(m, kind, real.filter((c) => c.kind === kind && c.after) as Written[]);
    const charters = real.filter((c) => c.kind === 'Charter' && c.after);
    if (charters.length)
      await m.query(
        'insert into charter_revision select c.key, coalesce((select max(revision) from charter_revision where charter = c.key), 0) + 1, c.doc, now(), n.by, n.note from charter c join unnest($1::text[], $2::text[], $3::text[]) n(key, by, note) on n.key = c.key',
        [charters.map((c) => c.key), charters.map((c) => c.by), charters.map((c) => c.note.slice(0, 200))],
      );
    await tellChanges(m, real);
  } catch (e) {
    throw toRefusal(e);
  }
}
type Signed = Change & { by: string; note: string };
type Written = Signed & { after: Doc };

async function write(m: EntityManager, kind: Kind, changes: readonly Written[]): Promise<void> {
  const table = tableOf[kind];
  const parts = keptIn[kind] ?? { doc: { table, column: 'doc' } };
  const named = `jsonb_to_recordset($1::jsonb) as n(key text, by text, ${Object.keys(parts).map((p) => `${p} jsonb`)})`;
  const values = (list: readonly Written[]) => listText(list, (c) => ({ key: c.key, by: c.by, ...textOf(c.after) }));
  const fresh = changes.filter((c) => !c.before);
  const changed = changes.filter((c) => c.before);
  if (changed.length) {
    const rows = await values(changed);
    // A part that stays as it is keeps its version.
    for (const [part, at] of Object.entries(parts))
      await m.query(
        `update ${at.table} t set ${at.column} = n.${part}, version = t.version + 1, updated_at = now(), updated_by = n.by from ${named} where t.key = n.key and t.${at.column} is distinct from n.${part}`,
        [rows],
      );
  }
  if (!fresh.length) return;
  const further = Object.entries(parts).filter(([, at]) => at.table !== table);
  // In the order in which they come: a network that is carved out of another comes behind it.
  const [refused] = (await m.query(
    `with n as materialized (select n.*, row_number() over () as i from ${named}),
     made as (insert into ${table} (key, doc, updated_by) select key, doc, by from n order by i on conflict (key) do nothing returning key)
     ${further.map(([part, at]) => `, ${at.table} as (insert into ${at.table} (key, ${at.column}, updated_by) select key, n.${part}, by from n join made using (key))`).join('')}
     select n.key from n left join made on made.key = n.key where made.key is null order by i limit 1`,
    [await values(fresh)],
  )) as { key: string }[];
  if (!refused) return;
  const lost = fresh.find((c) => c.key === refused.key) as Written;
  if (lost.after.kind === 'Reservation')
    throw new Refusal('held-twice', `${lost.after.address} has just been reserved by somebody else.`, {
      remedy: 'Take the next free one.',
    });
  throw new Refusal('conflict', `${kind} ${lost.key} has just been declared by somebody else.`, {
    remedy: 'Look at it, then save again.',
  });
}

/** Kinds of which a document is kept in parts, each in a table of its own: the part, and where it is kept. `doc` is the one that others refer to. */
const keptIn: Partial<Record<Kind, Record<string, { table: string; column: string }>>> = {
  Host: {
    doc: { table: 'host', column: 'doc' },
    state: { table: 'host_state', column: 'doc' },
    facts: { table: 'host_seen', column: 'facts' },
  },
};
/** The parts of a document, by the names of `keptIn`. */
function textOf(doc: Doc): object {
  if (doc.kind !== 'Host') return { doc };
  const { plan, state, facts } = partsOf(doc);
  return { doc: plan, state, ...(facts ? { facts } : {}) };
}

/** Writes one document as it is to be, whatever stands. */
export async function putDoc(m: EntityManager, doc: Doc, who: string, note = ''): Promise<Change> {
  const ref = { kind: doc.kind, key: keyOf(doc) };
  const before = (await lockDocs(m, [ref])).get(nameOf(ref))?.doc as Doc | undefined;
  const change: Change = { ...ref, before: before ?? null, after: doc };
  await writeChanges(m, [change], who, note);
  return change;
}

/** Adds a document that must not be there yet; PostgreSQL decides between two that come at once. */
export async function insertDoc(m: EntityManager, doc: Doc, who: string, note = ''): Promise<Change> {
  const change: Change = { kind: doc.kind, key: keyOf(doc), before: null, after: doc };
  await writeChanges(m, [change], who, note);
  return change;
}

export async function dropDoc(m: EntityManager, kind: Kind, key: string, who: string): Promise<Change> {
  const before = (await lockDocs(m, [{ kind, key }])).get(`${kind} ${key}`)?.doc as Doc | undefined;
  if (!before) throw new Refusal('not-found', `There is no ${kind.toLowerCase()} ${key}.`);
  const change: Change = { kind, key, before, after: null };
  await writeChanges(m, [change], who, '');
  return change;
}

/**
 * Writes a document only if it still has the version that was seen, 0 for none: a second person's edit is shown and not
 * overwritten. @throws Refusal `conflict` with what stands there now
 */
export async function writeDoc(m: EntityManager, doc: Doc, who: string, version: number, note = ''): Promise<number> {
  const ref = { kind: doc.kind, key: keyOf(doc) };
  const now = (await lockDocs(m, [ref])).get(nameOf(ref));
  refuseOtherVersion(ref, now, version);
  await writeChanges(m, [{ ...ref, before: (now?.doc as Doc | undefined) ?? null, after: doc }], who, note);
  return version + 1;
}

/** @throws Refusal `conflict` with what stands there now, when it is not the version that was seen; 0 is none */
export function refuseOtherVersion(ref: Ref, now: Standing | undefined, version: number): void {
  if ((now?.version ?? 0) === version) return;
  throw new Refusal(
    'conflict',
    now ? `${nameOf(ref)} was changed by ${now.by} in the meantime.` : `${nameOf(ref)} was deleted in the meantime.`,
    {
      current: now ? { doc: now.doc, version: now.version, by: now.by } : undefined,
      remedy: 'Look at both, then save again.',
    },
  );
}

/** What edits would make of locked documents, one change a document; nothing is written. @throws Refusal for what does not fit */
export function changesOf(edits: readonly Edit[], standing: ReadonlyMap<string, Standing>): Change[] {
  const out = new Map<string, Change>();
  for (const edit of edits) {
    const ref = refOf(edit);
    const name = nameOf(ref);
    const before = (standing.get(name)?.doc as Doc | undefined) ?? null;
    const change: Change = out.get(name) ?? { ...ref, before, after: before };
    if (edit.op === 'drop' && !change.after) throw new Refusal('not-found', `There is no ${ref.kind.toLowerCase()} ${ref.key}.`);
    try {
      change.after = editDoc(edit, change.after ?? undefined) ?? null;
    } catch (cause) {
      throw new Refusal('invalid', (cause as Error).message);
    }
    out.set(name, change);
  }
  return [...out.values()];
}
export const refOf = (edit: Edit): Ref =>
  edit.op === 'put' ? { kind: edit.doc.kind, key: keyOf(edit.doc) } : { kind: edit.kind, key: edit.key };

export function needIn<K extends Kind>(estate: Estate, kind: K, key: string): DocOf<K> {
  const doc = find(estate, kind, key);
  if (!doc) {
    const near = nearest(key, (estate[sliceOf[kind]] as Doc[]).map(keyOf));
    throw new Refusal('not-found', `There is no ${kind.toLowerCase()} ${key}.`, near ? { remedy: `Did you mean ${near}?` } : {});
  }
  return doc;
}

/** A change that somebody makes who had seen the plan at a position. */
export interface Sight {
  changes: readonly Change[];
  revision: number;
}

/**
 * Asked after the documents were locked: one that holds the lock sees whatever was committed before, and a change of another
 * field is no conflict. @returns for each, why not, when somebody changed the same after the position that the person had seen
 */
export async function changedMeanwhile(m: EntityManager, sights: readonly Sight[]): Promise<(Refusal | undefined)[]> {
  const wanted = sights.flatMap(({ changes, revision }, n) =>
    changes.filter((c) => !same(c.before, c.after)).map((c) => ({ n, revision, kind: c.kind, key: c.key, fields: fieldsOf(c) })),
  );
  const out: (Refusal | undefined)[] = sights.map(() => undefined);
  if (!wanted.length) return out;
  const found = (await m.query(
    `select distinct on (r.n) r.n, e.kind, e.subject, e.by, (select string_agg(f, ', ') from unnest(e.fields) f where f = any(d.names)) as what
     from jsonb_to_recordset($1::jsonb) as r(n int, revision bigint, kind text, key text, fields jsonb)
     cross join lateral (select array(select jsonb_array_elements_text(r.fields)) as names) d
     join event e on e.kind = r.kind and e.subject = r.key and e.position > r.revision
     where e.fields = '{}' or d.names = '{}' or e.fields && d.names order by r.n, e.position desc`,
    [JSON.stringify(wanted)],
  )) as { n: number; kind: string; subject: string; by: string; what: string | null }[];
  for (const f of found)
    out[f.n] = new Refusal(
      'conflict',
      `${f.what ? `${f.what} of ` : ''}${f.kind} ${f.subject} was changed by ${f.by || 'somebody else'} in the meantime.`,
      { remedy: 'What you typed is kept. Look at what it would change now, then save again.' },
    );
  return out;
}

/** The same for one. @throws Refusal */
export async function refuseChangedSince(m: EntityManager, changes: readonly Change[], revision: number): Promise<void> {
  const [why] = await changedMeanwhile(m, [{ changes, revision }]);
  if (why) throw why;
}

/** Fields that two people set to different values. @throws Refusal with both values and who set the other one */
export function refuseCollisions(ref: Ref, collisions: readonly Collision[], standing: Standing | undefined): void {
  const [first] = collisions;
  if (!first) return;
  const path = first.path.join('.') || 'it';
  throw new Refusal(
    'conflict',
    `${collisions.length === 1 ? path : `${path} and ${collisions.length - 1} more fields`} of ${nameOf(ref)} ${standing ? `was changed by ${standing.by}` : 'was deleted'} in the meantime.`,
    {
      remedy: 'Choose a value for each; what you typed is kept.',
      collisions: collisions.map((c) => ({ ...c, kind: ref.kind, key: ref.key })),
      ...(standing ? { current: { doc: standing.doc, version: standing.version, by: standing.by, at: standing.at } } : {}),
    },
  );
}
