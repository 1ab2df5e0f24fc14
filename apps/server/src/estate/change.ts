import { type ActName, credentialOf, type Difference, type FourEyes, type Principal } from '@praesidor/core/access';
import {
  applyEdits,
  type Change,
  type Collision,
  differences,
  type Doc,
  type Edit,
  type FieldChange,
  mergeFields,
  same,
  type Template,
  type Use,
  usesOf,
  withVersionKept,
} from '@praesidor/core/model';
import type { EntityManager } from 'typeorm';
import { fourEyesIn, keyringEntries, permit, sitesOfNetworks } from '../access/permit.ts';
import { withinAllowance } from './allowance.ts';
import { inTurns } from '../compute/turns.ts';
import { Refusal } from '../refusal.ts';
import {
  changesOf,
  lockDocs,
  refOf,
  refuseChangedSince,
  refuseCollisions,
  refuseOtherVersion,
  type Standing,
  validDoc,
  writeChanges,
} from './documents.ts';
import { loadEstate } from './load.ts';

export interface Wanted {
  act: ActName;
  via: Difference['via'];
  note: string;
  /** The last position that the person had seen: what somebody changed since is not overwritten. */
  revision?: number | undefined;
  /** A second person has approved exactly these changes. */
  approved?: boolean;
}

/**
 * The one door through which documents change: locked, changed as edits say, asked of `authorize`, held against what uses
 * them, written, and held against what others changed meanwhile. All in the caller's transaction; nothing of it stands
 * when it throws. Answers what changed, for the record and for undoing it.
 */
export async function changePlan(m: EntityManager, who: Principal, edits: readonly Edit[], how: Wanted): Promise<Change[]> {
  const refs = edits.map(refOf);
  const standing = await lockDocs(m, refs);
  // Several edits of one document belong together; a long list of different ones is gone through in turns.
  const apart = new Set(refs.map((r) => `${r.kind} ${r.key}`)).size === edits.length;
  const changes = apart ? await inTurns(edits, (part) => changesOf(part, standing)) : changesOf(edits, standing);
  return carryOut(m, who, changes, how);
}

/** Changes of locked documents, as `changePlan` makes those of edits. */
export async function carryOut(m: EntityManager, who: Principal, changes: readonly Change[], how: Wanted): Promise<Change[]> {
  const real = await permitted(m, who, changes, how);
  await refuseInUse(m, real);
  await withinAllowance(m, real, () => writeChanges(m, real, who.login, how.note));
  if (how.revision !== undefined) await refuseChangedSince(m, real, how.revision);
  return real;
}

/** Those that change something, as they are to be written, when `authorize` allows them all. @throws Refusal that says why not */
export async function permitted(
  m: EntityManager,
  who: Principal,
  changes: readonly Change[],
  how: Pick<Wanted, 'act' | 'via' | 'approved'> & { eyes?: FourEyes },
): Promise<Change[]> {
  const real = await inTurns(changes, (part) => part.filter((c) => !same(c.before, c.after)));
  const named = real.some((c) => c.after && credentialOf(c.after));
  const keys = named ? { keys: await keyringEntries(m) } : {};
  // Of addresses and records it is asked where they are, where that makes a difference.
  const eyes = how.approved || who.kind === 'system' ? undefined : (how.eyes ?? (await fourEyesIn(m)));
  const placed = (scoped(who) || eyes?.sites.length) && real.some((c) => c.kind === 'Reservation' || c.kind === 'Record');
  const of = { ...keys, ...(eyes ? { eyes } : {}), ...(placed ? { siteOf: await sitesOfNetworks(m) } : {}) };
  if (!real.length) permit(who, how.act, { changes: real, via: how.via });
  await inTurns(real, (part) => {
    permit(who, how.act, { changes: part, via: how.via, ...of });
    return [];
  });
  return real.map(versioned);
}

const scoped = (who: Principal): boolean =>
  who.kind !== 'system' && (Object.keys(who.sites ?? {}).length > 0 || (who.kind === 'token' && who.only?.sites !== undefined));

/** A template that asks or fixes something else is its next version; the one before is kept for the clusters of it. */
const versioned = (c: Change): Change =>
  c.after?.kind === 'Template' ? { ...c, after: withVersionKept(c.before as Template | null, c.after) } : c;

const edit = (c: Change): Edit => (c.after ? { op: 'put', doc: c.after } : { op: 'drop', kind: c.kind, key: c.key });

/** @throws Refusal `in-use` that names what uses a document that is to go, and what ends that */
async function refuseInUse(m: EntityManager, changes: readonly Change[]): Promise<void> {
  const going = changes.filter((c) => !c.after && c.kind !== 'Record');
  if (!going.length) return;
  const free = (c: Change) => c.before?.kind === 'Reservation' && c.before.owner.kind !== 'charter';
  if (going.every(free)) return;
  const { estate } = await loadEstate(m);
  const after = applyEdits(estate, changes.map(edit));
  const uses = usesOf(
    after,
    going.map((c) => ({ kind: c.kind, key: c.key, doc: c.before as Doc })),
  );
  const [first] = uses;
  if (!first) return;
  const [what, list] = first as [string, Use[]];
  const shown = list.slice(0, 3).map((u) => `${u.by} ${u.how}`);
  throw new Refusal(
    'in-use',
    `${what} is in use: ${shown.join('; ')}${list.length > 3 ? `; and ${list.length - 3} more` : ''}.`,
    { remedy: `${list[0]?.act.label ?? 'End its use'} first.`, uses: list.slice(0, 20) },
  );
}

/**
 * Documents as somebody wants them who began from what stood when they looked: their differences are made in what stands
 * now. What two set to different values is shown and not decided here. @throws Refusal with every collision
 */
export async function mergeDocs(
  m: EntityManager,
  who: Principal,
  docs: readonly { base: Doc | null; mine: Doc }[],
  how: Omit<Wanted, 'revision'>,
): Promise<Change[]> {
  const refs = docs.map((d) => refOf({ op: 'put', doc: d.mine }));
  const standing = await lockDocs(m, refs);
  const changes = docs.map(({ base, mine }, i): Change => {
    const ref = refs[i] as ReturnType<typeof refOf>;
    const now = standing.get(`${ref.kind} ${ref.key}`);
    const before = (now?.doc as Doc | undefined) ?? null;
    if (same(before, mine)) return { ...ref, before, after: before };
    const { after, collisions } = merged(base, mine, before);
    refuseCollisions(ref, collisions, now);
    return { ...ref, before, after };
  });
  return carryOut(m, who, changes, how);
}

/** A document only over the version that the person saw, 0 for none. @throws Refusal `conflict` with what stands there now */
export async function saveOver(m: EntityManager, who: Principal, doc: Doc, version: number, how: Wanted): Promise<Change[]> {
  const ref = refOf({ op: 'put', doc });
  const now = (await lockDocs(m, [ref])).get(`${ref.kind} ${ref.key}`);
  refuseOtherVersion(ref, now, version);
  return carryOut(m, who, [{ ...ref, before: (now?.doc as Doc | undefined) ?? null, after: doc }], how);
}

/** A person's document over the one that stands: field by field where both go back to one, as a whole where none stood. */
function merged(base: Doc | null, mine: Doc, now: Doc | null): { after: Doc; collisions: Collision[] } {
  if (!now) return { after: mine, collisions: base ? [{ path: [], before: base, mine }] : [] };
  const { merged: after, collisions } = mergeFields(now, differences(base, mine));
  return collisions.length ? { after: now, collisions } : { after: validDoc(after), collisions };
}

/** The same for some fields of one document, each with the value that the person saw. */
export async function mergeInto(
  m: EntityManager,
  who: Principal,
  ref: { kind: Doc['kind']; key: string },
  fields: readonly FieldChange[],
  how: Omit<Wanted, 'revision'>,
): Promise<Change[]> {
  const now = (await lockDocs(m, [ref])).get(`${ref.kind} ${ref.key}`);
  if (!now) throw new Refusal('not-found', `There is no ${ref.kind.toLowerCase()} ${ref.key}.`);
  const { merged: after, collisions } = mergeFields(now.doc as Doc, fields);
  refuseCollisions(ref, collisions, now);
  return carryOut(m, who, [{ ...ref, before: now.doc as Doc, after: validDoc(after) }], how);
}

/**
 * Takes back what an act did, and nothing else: fields that still stand as it left them. @throws Refusal that names what
 * somebody changed since, and who
 */
export async function takeBack(
  m: EntityManager,
  who: Principal,
  done: readonly Change[],
  at: Date,
  note: string,
): Promise<Change[]> {
  const standing = await lockDocs(m, done);
  const changes: Change[] = [];
  for (const c of done) {
    const now = standing.get(`${c.kind} ${c.key}`);
    const doc = (now?.doc as Doc | undefined) ?? null;
    const { after, lost } = inverted(c, doc);
    if (lost) throw await changedSince(m, c, lost, at, now);
    changes.push({ kind: c.kind, key: c.key, before: doc, after });
  }
  return carryOut(m, who, changes, { act: 'plan.undo', via: 'record', note });
}

/** The document without what an act did to it, or the fields in which it does not stand as the act left it. */
export function inverted(c: Change, now: Doc | null): { after: Doc | null; lost?: string[] } {
  if (!c.before) return !now || same(now, c.after) ? { after: null } : { after: now, lost: topFields(c.after, now) };
  if (!c.after) return now ? { after: now, lost: [] } : { after: c.before };
  if (!now) return { after: null, lost: [] };
  const { merged: after, collisions } = mergeFields(now, differences(c.after, c.before));
  return collisions.length
    ? { after: now, lost: [...new Set(collisions.map((x) => x.path.join('.')))] }
    : { after: validDoc(after) };
}
const topFields = (a: Doc | null, b: Doc) => [...new Set(differences(a, b).map((d) => d.path.join('.')))];

async function changedSince(
  m: EntityManager,
  c: Change,
  fields: string[],
  at: Date,
  now: Standing | undefined,
): Promise<Refusal> {
  const tops = [...new Set(fields.map((f) => f.split('.')[0] as string))];
  const [last] = (await m.query(
    "select by, at from event where kind = $1 and subject = $2 and at > $3 and (fields = '{}' or $4::text[] = '{}' or fields && $4) order by position desc nulls first limit 1",
    [c.kind, c.key, at, tops],
  )) as { by: string; at: Date }[];
  const by = last?.by || now?.by;
  const what = `${fields.length ? `${fields.slice(0, 3).join(', ')} of ` : ''}${c.kind} ${c.key}`;
  const how = !now ? 'was deleted' : !c.after ? 'was declared anew' : 'was changed';
  return new Refusal(
    'conflict',
    `It cannot be undone: ${what} ${how} since${by ? ` by ${by}` : ''}${last ? ` (${last.at.toISOString().slice(0, 16).replace('T', ' ')} UTC)` : ''}.`,
    {
      remedy: 'Undo that act first, or set the value by hand.',
      ...(now ? { current: { doc: now.doc, version: now.version, by: now.by, at: now.at } } : {}),
    },
  );
}
