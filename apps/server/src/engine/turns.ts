import { limitAt, openStates } from '@praesidor/core/schedule';
import type { Site } from '@praesidor/core/model';
import type { EntityManager } from 'typeorm';
import { askedBy, fromThere, system } from '@praesidor/core/access';
import { fourEyesIn } from '../access/permit.ts';
import { elsewhereOf, whereOfRun } from '../access/where.ts';
import { record } from '../audit.ts';
import type { Context } from '../context.ts';
import { type RunRow, Runs } from '../db/tables.ts';
import { tell } from '../events/bus.ts';
import { Refusal } from '../refusal.ts';
import { locks } from '../jobs/locks.ts';
import { topicOf } from './state.ts';

interface Waiting {
  id: number;
  subject: string;
  who: string;
  /** Whose cluster it is; without: of whoever began it alone. */
  team: string | null;
}
const ofSite = "from run r left join charter c on c.key = r.asked->>'charter' where r.kind = 'change' and r.site = $1";

/**
 * Lets the next changes of a site begin, as many as its limit leaves room for: that of the team which has fewest under way first, of a team that of whoever has fewest, then the
 * oldest. To be asked in the transaction in which one is queued or ends; those that are paused hold no place.
 */
export async function admit(ctx: Context, m: EntityManager, site: string): Promise<void> {
  await m.query('select pg_advisory_xact_lock(727018, hashtext($1))', [site]);
  const waiting = (await m.query(
    `select r.id, r.subject, r.created_by as who, c.team ${ofSite} and r.state = 'queued' and not r.admitted and r.approval is distinct from 'asked' order by r.id`,
    [site],
  )) as Waiting[];
  if (!waiting.length) return;
  const under = (await m.query(
    `select r.created_by as who, c.team ${ofSite} and r.state in ('queued', 'running') and r.admitted`,
    [site],
  )) as Pick<Waiting, 'who' | 'team'>[];
  const [doc] = (await m.query('select doc from site where key = $1', [site])) as { doc: Site }[];
  const limit = limitAt({ sites: doc ? [doc.doc] : [] }, site, 'builds');
  const has = new Map<string, number>();
  // Clusters of no team are those of whoever begins something there.
  const keys = ({ who, team }: Pick<Waiting, 'who' | 'team'>) => [team === null ? `alone ${who}` : `team ${team}`, `who ${who}`];
  const count = (w: Pick<Waiting, 'who' | 'team'>) => {
    for (const k of keys(w)) has.set(k, (has.get(k) ?? 0) + 1);
  };
  const less = (a: Waiting, b: Waiting) => {
    const [mine, theirs] = [keys(a), keys(b)].map((list) => list.map((k) => has.get(k) ?? 0)) as [number[], number[]];
    return (mine[0] as number) - (theirs[0] as number) || (mine[1] as number) - (theirs[1] as number);
  };
  for (const u of under) count(u);
  for (let free = limit - under.length; free > 0 && waiting.length; free--) {
    const next = waiting.reduce((a, b) => (less(b, a) < 0 ? b : a));
    waiting.splice(waiting.indexOf(next), 1);
    count(next);
    await m.query('update run set admitted = true where id = $1', [next.id]);
    await ctx.queue.send(m, 'run', String(next.id));
    await tell(m, topicOf({ kind: 'change' }), next.subject);
  }
}

/**
 * Puts down a run, to be carried out by whoever is free. In the transaction that asks for it.
 *
 * @param waits it waits for its turn at its site, which `admit` gives
 * @param secondPerson it changes a cluster, or what clusters stand on: where its site or team asks for that, it waits until somebody else has approved it
 * @returns its number
 */
export async function queueRun(
  ctx: Context,
  m: EntityManager,
  run: Pick<RunRow, 'kind' | 'subject' | 'site' | 'title' | 'steps' | 'asked'> & { exclusive?: string },
  who: string,
  { waits = false, secondPerson = false } = {},
): Promise<number> {
  // Images travel in cases, and a roll-out goes over many sites; whatever else is done at machines is done where the installation is that reaches them.
  const [kept] = ['shipment', 'rollout'].includes(run.kind)
    ? []
    : Object.entries(await elsewhereOf(m, (await whereOfRun(m, { exclusive: null, ...run })).sites));
  if (kept) {
    const { message, remedy } = fromThere(...kept);
    throw new Refusal('not-now', message, { remedy });
  }
  const asks =
    secondPerson && who !== system().login
      ? askedBy(await whereOfRun(m, { exclusive: null, ...run }), await fourEyesIn(m))
      : undefined;
  const { identifiers } = await m.insert(Runs, {
    ...run,
    steps: run.steps as never,
    asked: run.asked as never,
    state: 'queued',
    admitted: !waits && !asks,
    ...(asks ? { approval: 'asked' as const } : {}),
    createdAt: new Date(),
    createdBy: who,
    runBy: who,
  });
  const { id } = identifiers[0] as { id: number };
  if (asks)
    await record(m, who, 'asked for a second person', run.subject, { title: run.title, run: id, asks }, undefined, undefined, {
      about: 'approval',
      site: run.site,
    });
  if (!waits && !asks) await ctx.queue.send(m, 'run', String(id));
  return id;
}

/**
 * Runs that are under way and that no job carries: of a version before, or of a limit that was raised meanwhile. By the minute, and at every start.
 */
export async function takeUp(ctx: Context): Promise<void> {
  await ctx.db.transaction(async (m) => {
    await m.query('select pg_advisory_xact_lock(727019)');
    const lost = (await m.query(
      `select id from run r where admitted and state = any($1) and not exists
        (select 1 from jobs.job j where j.name = 'run' and j.state in ('created', 'retry', 'active') and j.data->>'id' = r.id::text)`,
      [openStates],
    )) as { id: number }[];
    for (const { id } of lost) await ctx.queue.send(m, 'run', String(id));
    const sites = (await m.query("select distinct site from run where state = 'queued' and not admitted")) as { site: string }[];
    for (const { site } of sites) await admit(ctx, m, site);
  });
}

/** Those of some runs that a process drives at the moment; one that was stopped may be let go a moment later. */
export async function drivenNow(m: EntityManager, runs: readonly number[]): Promise<Set<number>> {
  const rows = (await m.query(
    "select objid::int as run from pg_locks where locktype = 'advisory' and classid = $1 and objsubid = 2 and database = (select oid from pg_database where datname = current_database()) and granted and objid::int = any($2)",
    [locks.driven, runs],
  )) as { run: number }[];
  return new Set(rows.map((r) => r.run));
}

/** Asks for a place at what a step shares. @returns whether it has it now */
export async function takeLease(m: EntityManager, run: number, step: string, share: string, room: number): Promise<boolean> {
  const [row] = (await m.query('select take_lease($1, $2, $3, $4) as taken', [share, run, step, room])) as { taken: boolean }[];
  return row?.taken ?? false;
}
/** Gives places back: of one step, or of all that a run has. */
export async function giveBack(m: EntityManager, run: number, step?: string): Promise<void> {
  await m.query(
    `with d as (delete from run_lease where run = $1 and ($2::text is null or step = $2) returning share, held)
     select pg_notify('praesidor', json_build_object('id', 0, 'kind', 'Lease', 'subject', share)::text) from d where held`,
    [run, step ?? null],
  );
}
