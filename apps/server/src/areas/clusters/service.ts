import type { EntityManager } from 'typeorm';
import { onItsWay } from '@praesidor/core/changes';
import { type Plan, resolve } from '@praesidor/core/charter';
import type { Principal } from '@praesidor/core/access';
import { type Change, type Charter, type Estate, same } from '@praesidor/core/model';
import type { Context } from '../../context.ts';
import { withinAllowance } from '../../estate/allowance.ts';
import { mergeDocs, saveOver } from '../../estate/change.ts';
import { lockDocs, needDoc, writeChanges } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { Refusal } from '../../refusal.ts';
import { type HoldResult, wouldHold } from './would-hold.ts';

/** What a charter is saved over: the version that was seen, or the document that the person began from. */
export type Over = { version: number } | { base: Charter | null };

/** Saves a charter as its next revision; what somebody else changed since is kept, field by field, where a base is given. */
export async function saveCharter(
  m: EntityManager,
  who: Principal,
  charter: Charter,
  over: Over,
  note: string,
): Promise<{ version: number; revision: number; changes: Change[] }> {
  const how = { act: 'charters.save', via: 'hand', note } as const;
  const changes =
    'version' in over
      ? await saveOver(m, who, charter, over.version, how)
      : await mergeDocs(m, who, [{ base: over.base, mine: charter }], how);
  const [{ version, revision } = { version: 0, revision: 0 }] = (await m.query(
    'select version, (select coalesce(max(revision), 1) from charter_revision where charter = key) as revision from charter where key = $1',
    [charter.name],
  )) as { version: number; revision: number }[];
  return { version, revision, changes };
}

/** The text of a charter as somebody wrote it last, where somebody did. */
export async function writtenText(m: EntityManager, name: string): Promise<string | undefined> {
  const [row] = (await m.query('select text from charter_text where charter = $1', [name])) as { text: string }[];
  return row?.text;
}
export const keepText = (m: EntityManager, name: string, text: string): Promise<unknown> =>
  m.query('insert into charter_text (charter, text) values ($1, $2) on conflict (charter) do update set text = excluded.text', [
    name,
    text,
  ]);

/** An estate as it was read a moment ago, and what holding the charter changes in it. */
export interface ReadBefore {
  estate: Estate;
  revision: number;
  held: HoldResult;
}

let last: Promise<unknown> = Promise.resolve();
/**
 * One who holds after the other, in this server: the lock that `hold` takes lets only one through at a time anyway, and whoever waits for it in a transaction keeps a connection to the
 * database from everybody else.
 */
export function inTurnToHold<T>(act: () => Promise<T>): Promise<T> {
  const mine = last.then(act, act);
  last = mine.catch(() => undefined);
  return mine;
}

/**
 * Holds what a charter's plan proposes: its hosts become held, its addresses reservations. What an earlier
 * revision held and this one does not need is given back. Nothing is taken from a cluster that serves.
 *
 * @param read the estate as it was read a moment ago: it is gone by where nothing but other charters and the course of long work was told since
 */
export async function hold(m: EntityManager, name: string, who: string, read?: ReadBefore): Promise<HoldResult> {
  await m.query('select pg_advisory_xact_lock(727004)');
  const out =
    read && !(await toldSince(m, read.revision, name))
      ? read.held
      : wouldHold((await loadEstate(m)).estate, name, new Date().toISOString());
  const { changes } = out;
  // Locked, and looked at once more: an edit that came in between is not overwritten.
  const now = await lockDocs(m, changes);
  const moved = changes.find((c) => !same(now.get(`${c.kind} ${c.key}`)?.doc ?? null, c.before));
  if (moved)
    throw new Refusal('conflict', `${moved.kind} ${moved.key} was changed while ${name} was being held.`, {
      remedy: 'Hold it again: what follows is computed anew.',
    });
  await withinAllowance(m, changes, () => writeChanges(m, changes, who, ''));
  return out;
}

export const nothingHeld: HoldResult & { notHeld?: string } = { hosts: [], addresses: [], released: [], changes: [] };
/** Holds what a charter proposes where its team may have it; beyond its allowance nothing is held, and why is told: the charter is saved all the same. */
export async function holdWithin(m: EntityManager, name: string, who: string): Promise<HoldResult & { notHeld?: string }> {
  try {
    // A savepoint: what was written of it is taken back, and nothing else.
    return await m.transaction((part) => hold(part, name, who));
  } catch (e) {
    if (e instanceof Refusal && e.code === 'beyond-allowance') return { ...nothingHeld, notHeld: e.message };
    throw e;
  }
}

/**
 * Whether anything but the course of long work was told since an estate was read.
 * @param charter where one is named: other charters do not count, whose hosts and addresses the database keeps apart
 */
export async function toldSince(m: EntityManager, revision: number, charter?: string): Promise<boolean> {
  const [row] = (await m.query(
    `select exists (select 1 from event where position > $1 and kind not in ('Build', 'Work', 'Shipment', 'Setup', 'Proof')
       and not ($2::text is not null and kind = 'Charter' and subject <> $2)) as told`,
    [revision, charter ?? null],
  )) as { told: boolean }[];
  return row?.told ?? true;
}

/** The plan of a charter as it is saved. */
export async function planOf(
  ctx: Context,
  name: string,
): Promise<{ plan: Plan; estate: Awaited<ReturnType<typeof loadEstate>>['estate']; version: number }> {
  const { estate } = await loadEstate(ctx.db);
  const { doc, version } = await needDoc(ctx.db.manager, 'Charter', name);
  return { plan: resolve(doc, estate), estate, version };
}

/** What the next change of a cluster makes of it: with the release that comes next on its way. */
export async function nextPlanOf(ctx: Context, name: string): Promise<{ plan: Plan; estate: Estate }> {
  const { estate, charter } = onItsWay(name, (await loadEstate(ctx.db)).estate);
  if (!charter) throw new Refusal('not-found', `There is no charter ${name}.`);
  return { plan: resolve(charter, estate), estate };
}
