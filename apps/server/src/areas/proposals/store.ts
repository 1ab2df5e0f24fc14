import { createHash } from 'node:crypto';
import type * as answers from '@praesidor/contract';
import { askedBy, type FourEyes, type Principal, whereOf } from '@praesidor/core/access';
import { type Change, type Doc, doingOf, type Rebased, rebase } from '@praesidor/core/model';
import type { EntityManager } from 'typeorm';
import { sitesOfNetworks } from '../../access/permit.ts';
import { listText } from '../../compute/turns.ts';
import { lockDocs, nameOf, readDocs } from '../../estate/documents.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';

/** Proposals in their tables: read, locked, written. What may be done to them is decided elsewhere. */
export interface ProposalDoc {
  id: number;
  title: string;
  why: string;
  state: answers.ProposalState;
  by: string;
  writers: string[];
  changes: Change[];
  documents: number;
  sites: string[];
  teams: string[];
  createdAt: Date;
  updatedAt: Date;
  closedAt: Date | null;
  closedBy: string | null;
  act: number | null;
}
export interface Approval {
  by: string;
  at: Date;
  digest: string;
}

const columns =
  'id, title, why, state, by, writers, documents, sites, teams, created_at as "createdAt", updated_at as "updatedAt", closed_at as "closedAt", closed_by as "closedBy", act::int as act';
/** Told at the most; those that are open come first. */
const mostTold = 500;

export async function listProposals(m: EntityManager, eyes: FourEyes): Promise<answers.ProposalRow[]> {
  const rows = (await m.query(
    `select ${columns}, (select count(*)::int from proposal_comment c where c.proposal = p.id) as comments,
       coalesce((select jsonb_agg(jsonb_build_object('by', a.by, 'at', a.at, 'digest', a.digest) order by a.at) from proposal_approval a where a.proposal = p.id), '[]') as approvals
     from proposal p order by state = 'open' desc, id desc limit ${mostTold}`,
  )) as (Omit<ProposalDoc, 'changes'> & { comments: number; approvals: { by: string; at: string; digest: string }[] })[];
  const now = await digestsNow(
    m,
    rows.filter((r) => r.state === 'open' && r.approvals.length).map((r) => r.id),
  );
  return rows.map((r) => ({
    ...(r as unknown as answers.ProposalRow),
    asks: askedBy(r, eyes) ?? null,
    // Of one that is over they are those with which it was made.
    approvals: r.approvals.map(({ digest, ...a }) => ({ ...a, holds: r.state !== 'open' || now.get(r.id) === digest })),
  }));
}

/** What some proposals do in what stands now, by their numbers. */
async function digestsNow(m: EntityManager, ids: readonly number[]): Promise<Map<number, string>> {
  const rows = ids.length
    ? ((await m.query('select id, changes from proposal where id = any($1)', [ids])) as Pick<ProposalDoc, 'id' | 'changes'>[])
    : [];
  const standing = await readDocs(
    m,
    rows.flatMap((r) => r.changes),
  );
  return new Map(
    rows.map((r) => [
      r.id,
      digestOf(rebase(r.changes, (kind, key) => (standing.get(nameOf({ kind, key }))?.doc as Doc | undefined) ?? null)),
    ]),
  );
}

/** @param lock until the transaction ends: whoever else changes, approves or makes it waits */
export async function needProposal(m: EntityManager, id: number, lock = false): Promise<ProposalDoc> {
  const [row] = (await m.query(`select ${columns}, changes from proposal where id = $1${lock ? ' for update' : ''}`, [
    id,
  ])) as ProposalDoc[];
  if (!row) throw new Refusal('not-found', `There is no proposal ${id}.`);
  return row;
}
/** As `needProposal`, locked, of one that is still open. */
export async function needOpen(m: EntityManager, id: number): Promise<ProposalDoc> {
  const p = await needProposal(m, id, true);
  if (p.state !== 'open')
    throw new Refusal(
      'not-now',
      `Proposal ${id} was ${p.state === 'made' ? 'made' : 'withdrawn'} by ${p.closedBy}: nothing of it is changed any more.`,
      { remedy: 'Write a new one.' },
    );
  return p;
}

export const approvalsOf = async (m: EntityManager, id: number): Promise<Approval[]> =>
  (await m.query('select by, at, digest from proposal_approval where proposal = $1 order by at', [id])) as Approval[];

/** Its changes in what stands now. @param lock the documents, until the transaction ends */
export async function inWhatStands(m: EntityManager, changes: readonly Change[], lock = false): Promise<Rebased[]> {
  const standing = lock ? await lockDocs(m, changes) : await readDocs(m, changes);
  return rebase(changes, (kind, key) => (standing.get(nameOf({ kind, key }))?.doc as Doc | undefined) ?? null);
}

/** What it does as somebody approves it: sha256, in hexadecimal. */
export const digestOf = (changes: readonly Change[]): string => createHash('sha256').update(doingOf(changes)).digest('hex');

/** Where its changes are, and of whose clusters: what is asked for a second person by. */
async function placesOf(m: EntityManager, changes: readonly Change[]): Promise<{ sites: string[]; teams: string[] }> {
  const of = changes.some((c) => c.kind === 'Reservation' || c.kind === 'Record') ? await sitesOfNetworks(m) : undefined;
  const at = changes.map((c) => (c.kind === 'Team' ? { sites: [], teams: [c.key] } : whereOf(c, of)));
  return { sites: [...new Set(at.flatMap((w) => w.sites))].sort(), teams: [...new Set(at.flatMap((w) => w.teams))].sort() };
}

export async function addProposal(
  m: EntityManager,
  who: Principal,
  title: string,
  why: string,
  changes: readonly Change[],
): Promise<number> {
  const { sites, teams } = await placesOf(m, changes);
  const [row] = (await m.query(
    'insert into proposal (title, why, by, writers, changes, documents, sites, teams) values ($1, $2, $3, array[$3], $4, $5, $6, $7) returning id',
    [title, why, who.login, await listText(changes), changes.length, sites, teams],
  )) as { id: number }[];
  const id = row?.id as number;
  await tell(m, 'Proposal', String(id), who.login);
  return id;
}

/** Writes what it contains now. What was approved before was something else: no approval is left. */
export async function putChanges(m: EntityManager, who: Principal, p: ProposalDoc, changes: readonly Change[]): Promise<void> {
  const { sites, teams } = await placesOf(m, changes);
  await m.query(
    'update proposal set changes = $2, documents = $3, sites = $4, teams = $5, writers = $6, updated_at = now() where id = $1',
    [p.id, await listText(changes), changes.length, sites, teams, [...new Set([...p.writers, who.login])]],
  );
  await m.query('delete from proposal_approval where proposal = $1', [p.id]);
  await tell(m, 'Proposal', String(p.id), who.login);
}

/** It is over: made, with the number of the act in the record, or withdrawn. */
export async function close(m: EntityManager, p: ProposalDoc, state: 'made' | 'withdrawn', who: string, act?: number) {
  await m.query('update proposal set state = $2, closed_at = now(), closed_by = $3, act = $4 where id = $1', [
    p.id,
    state,
    who,
    act ?? null,
  ]);
  await tell(m, 'Proposal', String(p.id), who);
}
