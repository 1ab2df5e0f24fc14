import { askedBy, includes, type Principal, roleAnywhere, whereOf } from '@praesidor/core/access';
import {
  type Change,
  type Collision,
  combined,
  decided,
  type Doc,
  type Edit,
  type Kind,
  type Rebased,
  same,
} from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import type { EntityManager } from 'typeorm';
import { fourEyesIn, permit, principalOf, sitesOfNetworks } from '../../access/permit.ts';
import { record } from '../../audit.ts';
import { carryOut, inverted, permitted } from '../../estate/change.ts';
import { changesOf, nameOf, readDocs, refOf, validDoc } from '../../estate/documents.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import {
  addProposal,
  approvalsOf,
  close,
  digestOf,
  inWhatStands,
  needOpen,
  needProposal,
  type ProposalDoc,
  putChanges,
} from './store.ts';

const how = { act: 'plan.edit', via: 'hand' } as const;
const called = (id: number) => `proposal ${id}`;

/** More in one proposal nobody reads. */
const mostDocuments = 1000;

/** A proposal that is open, for whoever may write about what is in it. */
async function needWritable(m: EntityManager, who: Principal, id: number): Promise<ProposalDoc> {
  const p = await needOpen(m, id);
  await permitWriting(m, who, p.changes);
  return p;
}

/** What edits do to what stands now. @throws Refusal where they do nothing */
async function doneBy(m: EntityManager, who: Principal, edits: readonly Edit[], bases: readonly Doc[]): Promise<Change[]> {
  const standing = await readDocs(m, edits.map(refOf));
  const base = new Map(bases.map((d) => [nameOf(refOf({ op: 'put', doc: d })), d]));
  const changes = changesOf(edits, standing)
    .map((c) => ({ ...c, before: base.get(nameOf(c)) ?? c.before }))
    .filter((c) => !same(c.before, c.after));
  if (!changes.length) throw new Refusal('invalid', 'All of it stands as wanted already: there is nothing to propose.');
  await permitWriting(m, who, changes);
  return changes;
}

/** @throws Refusal where a token is used for what it is not kept to */
async function permitWriting(m: EntityManager, who: Principal, changes: readonly Change[]): Promise<void> {
  if (who.kind !== 'token') return;
  const of = changes.some((c) => c.kind === 'Reservation' || c.kind === 'Record') ? await sitesOfNetworks(m) : undefined;
  for (const c of changes) permit(who, 'proposals.write', undefined, whereOf(c, of));
}

/** Begins a proposal with some changes. @param bases documents as whoever asks saw them, where that is not how they stand now */
export async function begin(
  m: EntityManager,
  who: Principal,
  asked: { title: string; why: string; edits: readonly Edit[]; bases: readonly Doc[] },
): Promise<number> {
  return beginWith(m, who, asked, await doneBy(m, who, asked.edits, asked.bases));
}
async function beginWith(
  m: EntityManager,
  who: Principal,
  { title, why }: { title: string; why: string },
  changes: readonly Change[],
): Promise<number> {
  refuseTooMany(changes);
  const id = await addProposal(m, who, title, why, changes);
  const told = await toldOf(m, id);
  await record(
    m,
    who.login,
    'wrote a proposal',
    title,
    { proposal: id, documents: changes.map(nameOf).slice(0, 50) },
    undefined,
    undefined,
    told,
  );
  return id;
}

/** Who is to be told that it waits for a second person, where a site or a team asks for one. */
async function toldOf(m: EntityManager, id: number): Promise<{ about?: 'approval'; site?: string }> {
  const { sites, teams } = await needProposal(m, id);
  const [site] = sites;
  return askedBy({ sites, teams }, await fourEyesIn(m)) ? { about: 'approval', ...(site ? { site } : {}) } : {};
}

/** Begins a proposal that takes back what an act did. @throws Refusal where that act changed no documents, or something was changed since */
export async function beginUndo(
  m: EntityManager,
  who: Principal,
  act: number,
  asked: { title: string; why: string },
): Promise<number> {
  const [row] = (await m.query('select changes from audit where id = $1', [act])) as { changes: Change[] | null }[];
  if (!row?.changes) throw new Refusal('not-found', 'There is nothing to undo in that act.');
  const standing = await readDocs(m, row.changes);
  const changes = row.changes.flatMap((c): Change[] => {
    const now = (standing.get(nameOf(c))?.doc as Doc | undefined) ?? null;
    const { after, lost } = inverted(c, now);
    if (lost) throw new Refusal('conflict', `${nameOf(c)} was changed since: ${lost.join(', ') || 'the document'}.`);
    return same(now, after) ? [] : [{ kind: c.kind, key: c.key, before: now, after }];
  });
  if (!changes.length) throw new Refusal('not-now', 'It has been undone already.');
  await permitWriting(m, who, changes);
  return beginWith(m, who, asked, changes);
}

/** Puts changes into a proposal. What it has of the same documents is kept beside them; what both set otherwise is told. */
export async function addTo(
  m: EntityManager,
  who: Principal,
  id: number,
  edits: readonly Edit[],
  bases: readonly Doc[],
): Promise<void> {
  const p = await needWritable(m, who, id);
  const more = await doneBy(m, who, edits, bases);
  const has = new Map((await inWhatStands(m, p.changes)).map((c) => [nameOf(c), c]));
  const out = new Map(p.changes.map((c) => [nameOf(c), c]));
  // Beside one that is in it, as it would be in what stands now.
  const now = new Map((await inWhatStands(m, more)).map((c) => [nameOf(c), c]));
  for (const c of more) {
    const there = has.get(nameOf(c));
    const fresh = now.get(nameOf(c));
    if (!there) out.set(nameOf(c), c);
    else if (fresh) {
      const both = fresh.collisions.length ? fresh : combined(there, fresh);
      if ('collisions' in both) throw otherwiseIn(id, c, both.collisions);
      const { change } = both;
      out.set(nameOf(c), change.after ? { ...change, after: validDoc(change.after) } : change);
    }
  }
  const changes = [...out.values()];
  refuseTooMany(changes);
  await putChanges(m, who, p, changes);
  const told = await toldOf(m, id);
  await record(
    m,
    who.login,
    'changed a proposal',
    p.title,
    { proposal: id, put: more.map(nameOf).slice(0, 50) },
    undefined,
    undefined,
    told,
  );
}

function otherwiseIn(id: number, c: Change, collisions: readonly Collision[]): Refusal {
  const [first] = collisions;
  return new Refusal('conflict', `Proposal ${id} has ${first?.path.join('.') || 'it'} of ${nameOf(c)} otherwise already.`, {
    remedy: 'Take that document out of the proposal first, or write another proposal.',
    collisions: collisions.map((x) => ({ ...x, kind: c.kind, key: c.key })),
  });
}

/** Takes a document out of a proposal. */
export async function leaveOut(m: EntityManager, who: Principal, id: number, ref: { kind: Kind; key: string }): Promise<void> {
  const p = await needWritable(m, who, id);
  const changes = p.changes.filter((c) => nameOf(c) !== nameOf(ref));
  if (changes.length === p.changes.length) throw new Refusal('not-found', `${nameOf(ref)} is not in ${called(id)}.`);
  if (!changes.length) throw new Refusal('not-now', `Nothing else is in ${called(id)}.`, { remedy: 'Withdraw it as a whole.' });
  await putChanges(m, who, p, changes);
  await record(m, who.login, 'changed a proposal', p.title, { proposal: id, leftOut: nameOf(ref) });
}

/** Decides a field that somebody else set to another value since: as the proposal has it, or as it stands. */
export async function decide(
  m: EntityManager,
  who: Principal,
  id: number,
  about: { kind: Kind; key: string; path: (string | number)[] },
  whose: 'mine' | 'theirs',
): Promise<void> {
  const p = await needWritable(m, who, id);
  const now = (await readDocs(m, [about])).get(nameOf(about))?.doc as Doc | undefined;
  const changes = decided(p.changes, about, whose, now ?? null);
  if (same(changes, p.changes))
    throw new Refusal('not-found', `Nobody else changed ${about.path.join('.') || 'the document'} of ${nameOf(about)}.`);
  await putChanges(m, who, p, changes);
  await record(m, who.login, 'changed a proposal', p.title, { proposal: id, decided: nameOf(about), path: about.path, whose });
}

export async function comment(m: EntityManager, who: Principal, id: number, text: string): Promise<void> {
  const p = await needWritable(m, who, id);
  await m.query('insert into proposal_comment (proposal, by, text) values ($1, $2, $3)', [id, who.login, text]);
  await record(m, who.login, 'commented on a proposal', p.title, { proposal: id });
  await tell(m, 'Proposal', String(id), who.login);
}

/** Approves what a proposal does at this moment, as it was seen. Nobody approves what they wrote, or what they may not do themselves. */
export async function approve(m: EntityManager, who: Principal, id: number, seen: string): Promise<void> {
  const p = await needOpen(m, id);
  if (p.writers.includes(who.login))
    throw new Refusal('not-allowed', `${who.login} wrote ${p.writers.length === 1 ? '' : 'some of '}${called(id)}.`, {
      remedy: 'Somebody else approves it.',
    });
  const changes = await asSeen(m, p, seen);
  await permitted(m, who, changes, { ...how, approved: true });
  await m.query(
    'insert into proposal_approval (proposal, by, digest) values ($1, $2, $3) on conflict (proposal, by) do update set digest = excluded.digest, at = now()',
    [id, who.login, seen],
  );
  await record(m, who.login, 'approved a proposal', p.title, { proposal: id, writtenBy: p.writers, digest: seen });
  await tell(m, 'Proposal', String(id), who.login);
}
export async function takeApprovalBack(m: EntityManager, who: Principal, id: number): Promise<void> {
  const p = await needOpen(m, id);
  const [, gone] = (await m.query('delete from proposal_approval where proposal = $1 and by = $2', [id, who.login])) as [
    unknown,
    number,
  ];
  if (!gone) throw new Refusal('not-found', `${who.login} has not approved ${called(id)}.`);
  await record(m, who.login, 'took an approval back', p.title, { proposal: id });
  await tell(m, 'Proposal', String(id), who.login);
}

/**
 * Makes a proposal as it was seen, as one act: all of it, or nothing. Where a second person has to approve, one must have approved exactly
 * this, be none of those who wrote it, and be allowed to do it still.
 */
export async function make(m: EntityManager, who: Principal, id: number, seen: string): Promise<number> {
  const p = await needOpen(m, id);
  const changes = await asSeen(m, p, seen, true);
  const by = await approversOf(m, p, changes, seen);
  const note = `${called(id)}: ${p.title}`;
  const real = await carryOut(m, who, changes, { ...how, note: note.slice(0, 200), approved: by.length > 0 });
  const act = await record(
    m,
    who.login,
    `made ${note}`,
    real.map(nameOf).join(', '),
    { proposal: id, writtenBy: p.writers, approvedBy: by },
    real,
    'plan.edit',
  );
  await close(m, p, 'made', who.login, act);
  return act;
}

export async function withdraw(m: EntityManager, who: Principal, id: number): Promise<void> {
  const p = await needWritable(m, who, id);
  const warden = who.kind === 'system' || includes(roleAnywhere(who), 'warden');
  if (!warden && !p.writers.includes(who.login))
    throw new Refusal('not-allowed', `Proposal ${id} is withdrawn by ${p.writers.join(' or ')}, or by a warden.`);
  await close(m, p, 'withdrawn', who.login);
  await record(m, who.login, 'withdrew a proposal', p.title, { proposal: id });
}

/** Who has approved exactly this and may do it still. */
async function approversOf(m: EntityManager, p: ProposalDoc, changes: readonly Change[], digest: string): Promise<string[]> {
  const out: string[] = [];
  for (const a of await approvalsOf(m, p.id)) {
    if (a.digest !== digest || p.writers.includes(a.by)) continue;
    try {
      await permitted(m, await principalOf(m, a.by), changes, { ...how, approved: true });
      out.push(a.by);
    } catch (e) {
      if (!(e instanceof Refusal)) throw e;
    }
  }
  return out;
}

/** What it does in what stands now, where that is what was seen. @throws Refusal that says what moved */
async function asSeen(m: EntityManager, p: ProposalDoc, seen: string, lock = false): Promise<Rebased[]> {
  const changes = await inWhatStands(m, p.changes, lock);
  const collide = changes.filter((c) => c.collisions.length);
  if (collide.length)
    throw new Refusal(
      'conflict',
      `${counted(collide.length, 'document')} of ${called(p.id)} ${collide.length === 1 ? 'was' : 'were'} changed by somebody else: ${nameOf(collide[0] as Change)}.`,
      { remedy: 'Open the proposal, and choose for each field.', collisions: collide.flatMap((c) => c.collisions).slice(0, 100) },
    );
  if (!changes.length)
    throw new Refusal('not-now', `All of ${called(p.id)} stands as wanted already.`, { remedy: 'Withdraw it.' });
  if (digestOf(changes) !== seen)
    throw new Refusal('conflict', `${called(p.id)} does something else by now than what was seen.`.replace(/^p/, 'P'), {
      remedy: 'Look at it again.',
    });
  return changes.map((c) => (c.after ? { ...c, after: validDoc(c.after) } : c));
}

function refuseTooMany(changes: readonly Change[]): void {
  if (changes.length > mostDocuments)
    throw new Refusal(
      'too-large',
      `A proposal changes ${mostDocuments} documents at the most; this would be ${changes.length}.`,
      {
        remedy: 'Make several.',
      },
    );
}
