import { foldInto, newRun, openStates, type RunEvent, type RunStatus, type Step, summaryOf } from '@praesidor/core/schedule';
import type { EntityManager } from 'typeorm';
import type { RunRow } from '../db/tables.ts';
import { tell } from '../events/bus.ts';

export type NewEvent = RunEvent extends infer E ? (E extends { at: string } ? Omit<E, 'at'> : never) : never;
/** What of a run its events are put down with. */
export type Told = Pick<RunRow, 'id' | 'kind' | 'subject' | 'steps'>;
const topics = {
  change: 'Build',
  work: 'Work',
  shipment: 'Shipment',
  gateway: 'Setup',
  backup: 'Backup',
  loss: 'Loss',
  power: 'SitePower',
  rollout: 'Rollout',
} as const satisfies Record<RunRow['kind'], string>;
/** By which a run is told to whoever looks on: `Build`, and `BuildProgress` and `BuildLog` for what passes. */
export const topicOf = (run: Pick<RunRow, 'kind'>) => topics[run.kind];

/**
 * Stores what happened; the state of a run is nothing but the fold of its events. The row is locked meanwhile, so that events have
 * their numbers in the order in which they are seen. What concerns the run as a whole is folded at once, and kept.
 *
 * @returns false: it was not stored, since the run has been stopped, and what a step of it did since is not its state any more
 */
export async function append(m: EntityManager, run: Told, event: NewEvent): Promise<boolean> {
  const ofDriver = ofDrivers.has(event.kind);
  const alone = ofDriver || event.kind === 'noted';
  const put = async (t: EntityManager) => {
    const rows = (await t.query(
      `with r as (select id from run where id = $1 and (not $3 or state in ('running', 'paused')) for update),
         e as (insert into run_event (run, data) select r.id, jsonb_set($2::jsonb, '{at}', to_jsonb(to_char(clock_timestamp() at time zone 'utc', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"'))) from r returning id)
       select id, case when $3 then pg_notify('praesidor', json_build_object('id', 0, 'kind', $4::text, 'subject', $5::text)::text) end as told from e`,
      [run.id, JSON.stringify(event), ofDriver, `${topicOf(run)}Progress`, run.subject],
    )) as unknown[];
    if (!rows.length) return false;
    if (!alone) {
      await keep(t, run);
      await tell(t, topicOf(run), run.subject);
    }
    return true;
  };
  // What happened and the state that it leads to are stored together, or neither is.
  return alone || m.queryRunner?.isTransactionActive ? put(m) : m.transaction(put);
}
/** What whoever drives a run puts down of its steps. */
const ofDrivers = new Set<RunEvent['kind']>(['started', 'progress', 'healed', 'deferred', 'succeeded', 'failed']);

/** Keeps the state as it is by now, so that what came before it is never folded again. To be called in a transaction. */
export async function keep(m: EntityManager, run: Pick<Told, 'id' | 'steps'>): Promise<void> {
  await m.query('select 1 from run where id = $1 for update', [run.id]);
  const { status, upto } = await stateOf(m, run);
  await m.query('update run set state = $2, status = $3, upto = $4, ended_at = $5, summary = $6 where id = $1', [
    run.id,
    status.state,
    JSON.stringify(status),
    upto,
    (openStates as readonly string[]).includes(status.state) ? null : (status.ended ?? null),
    JSON.stringify(summaryOf(run.steps, status)),
  ]);
}

/** @returns the state, and the number of the last event in it */
export async function stateOf(
  m: EntityManager,
  run: Pick<Told, 'id' | 'steps'>,
): Promise<{ status: RunStatus; upto: number; later: number }> {
  const [row] = (await m.query(
    `select r.status, r.upto, (select jsonb_agg(e.data order by e.id) from run_event e where e.run = r.id and e.id > r.upto) as events,
      (select max(e.id) from run_event e where e.run = r.id) as last from run r where r.id = $1`,
    [run.id],
  )) as { status: RunStatus | null; upto: string; events: RunEvent[] | null; last: string | null }[];
  const status = row?.status ?? newRun(run.steps);
  for (const e of row?.events ?? []) foldInto(status, e);
  return { status, upto: Number(row?.last ?? row?.upto ?? 0), later: row?.events?.length ?? 0 };
}
export const statusOf = async (m: EntityManager, run: Pick<Told, 'id' | 'steps'>): Promise<RunStatus> =>
  (await stateOf(m, run)).status;

/** The states of many runs at once, by their ids. */
export async function statusesOf(m: EntityManager, runs: readonly Pick<Told, 'id' | 'steps'>[]): Promise<Map<number, RunStatus>> {
  const ids = runs.map((r) => r.id);
  const kept = (await m.query('select id, status from run where id = any($1)', [ids])) as {
    id: number;
    status: RunStatus | null;
  }[];
  const out = new Map(kept.map((k) => [k.id, k.status]));
  for (const r of runs) if (!out.get(r.id)) out.set(r.id, newRun(r.steps));
  const later = (await m.query(
    'select e.run, e.data from run_event e join run r on r.id = e.run where r.id = any($1) and e.id > r.upto order by e.id',
    [ids],
  )) as { run: number; data: RunEvent }[];
  for (const e of later) foldInto(out.get(e.run) as RunStatus, e.data);
  return out as Map<number, RunStatus>;
}

export async function logLine(
  m: EntityManager,
  run: Pick<RunRow, 'id' | 'kind' | 'subject'>,
  step: string,
  level: 'info' | 'warn' | 'fail',
  line: string,
): Promise<void> {
  await m.query(
    `with l as (insert into run_log (run, step, level, line) values ($1, $2, $3, $4))
     select pg_notify('praesidor', json_build_object('id', 0, 'kind', $5::text, 'subject', $6::text)::text)`,
    [run.id, step, level, line.slice(0, 2000), `${topicOf(run)}Log`, `${run.subject} ${step}`],
  );
}

/** Steps as they are stored. */
export const stepsOf = (steps: readonly Step[]) => JSON.stringify(steps);
