import type { Change, Charter, Doc, Host, Team } from '@praesidor/core/model';
import { type Amounts, amountsOf, beyond, beyondText, nothing, sumOf } from '@praesidor/core/teams';
import type { EntityManager } from 'typeorm';
import { Refusal } from '../refusal.ts';

/** Charters of which a change of documents can change what they have. */
function chartersIn(changes: readonly Change[]): string[] {
  const of = (doc: Doc | null): string | undefined => {
    if (doc?.kind === 'Host') return doc.held?.charter;
    if (doc?.kind === 'Reservation') return doc.owner.kind === 'charter' ? doc.owner.name : undefined;
    return doc?.kind === 'Charter' ? doc.name : undefined;
  };
  return [...new Set(changes.flatMap((c) => [of(c.before), of(c.after)]).filter((x) => x !== undefined))];
}
/** Whether a change of documents can give a team more than it has: such a change is made in a transaction of its own. */
export const countsForTeams = (changes: readonly Change[]): boolean =>
  changes.some(({ before, after }) => {
    if (after?.kind === 'Charter') return after.team !== (before as Charter | null)?.team;
    if (after?.kind === 'Host') return after.held?.charter !== (before as Host | null)?.held?.charter;
    return after?.kind === 'Reservation' && after.owner.kind === 'charter';
  });
const givenTo = (c: Change): string[] =>
  c.after?.kind === 'Charter' && c.after.team && c.after.team !== (c.before as { team?: string } | null)?.team
    ? [c.after.team]
    : [];

/**
 * Writes changes, and refuses them where a team then has more than its allowance: held against what stands, in the transaction, with the team locked, so that of several
 * at once none is let through that another one has used up. What a team has already it keeps, also where its allowance was made smaller.
 * @throws Refusal; the caller's transaction is to end with it
 */
export async function withinAllowance(
  m: EntityManager,
  changes: readonly Change[],
  write: () => Promise<unknown>,
): Promise<void> {
  const charters = chartersIn(changes);
  const teams = charters.length ? await teamsOf(m, charters, changes.flatMap(givenTo)) : [];
  const before = new Map<string, Amounts>();
  for (const t of teams) before.set(t.name, await teamHas(m, t.name));
  await write();
  for (const team of teams) {
    const [was, is] = [before.get(team.name) ?? nothing(), await teamHas(m, team.name)];
    const over = beyond(team.allowance, is).filter((o) => o.is > was[o.measure]);
    if (over.length)
      throw new Refusal('beyond-allowance', `The team ${team.name} would have ${beyondText(over)}.`, {
        remedy: 'Ask for less, take another of its clusters down, or have a warden raise its allowance: People, Teams.',
      });
  }
}

/** Teams with an allowance that charters are of, locked until the transaction ends; one after the other by name, so that no two wait for each other. */
async function teamsOf(m: EntityManager, charters: readonly string[], further: readonly string[]): Promise<Team[]> {
  const rows = (await m.query(
    "select doc from team where (key = any($2) or key in (select team from charter where key = any($1))) and doc->'allowance' <> '{}' order by key",
    [charters, further],
  )) as { doc: Team }[];
  for (const { doc } of rows) await m.query("select pg_advisory_xact_lock(hashtextextended('allowance ' || $1, 0))", [doc.name]);
  // As they stand now that they are locked.
  return rows.length
    ? (
        (await m.query('select doc from team where key = any($1) order by key', [rows.map((r) => r.doc.name)])) as { doc: Team }[]
      ).map((r) => r.doc)
    : [];
}

/** What the clusters of a team have at this moment. */
export async function teamHas(m: EntityManager, team: string): Promise<Amounts> {
  const rows = (await m.query(
    `select c.key, coalesce((select jsonb_agg(f.facts) from host_state h join host_seen f using (key) where h.held_by = c.key), '[]') as facts,
       (select count(*)::int from reservation r where r.doc->'owner'->>'kind' = 'charter' and r.doc->'owner'->>'name' = c.key and not coalesce((r.doc->>'resting')::boolean, false)) as addresses
     from charter c where c.team = $1`,
    [team],
  )) as { facts: (Host['facts'] | null)[]; addresses: number }[];
  return sumOf(
    rows.map(({ facts, addresses }) => amountsOf({ hosts: facts.map((f) => ({ facts: f ?? undefined })), addresses })),
  );
}
