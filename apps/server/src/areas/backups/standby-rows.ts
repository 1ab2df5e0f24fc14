import type { EntityManager } from 'typeorm';
import type { RunRow } from '../../db/tables.ts';
import { askedOf, placeOf } from './asked.ts';
import { noteBackups } from './rows.ts';

/** A standby copy as it is kept: of when each of its volumes is, and whether it was activated. */
export interface StandbyState {
  charter: string;
  workload: string;
  state: 'follows' | 'active';
  /** By volume: RFC 3339. */
  holds: Record<string, string>;
  fault: string | null;
  looked: Date | null;
  /** What ran at the other cluster was ended there. */
  ended: boolean;
}
export const standbyState = async (m: EntityManager, charter: string, workload: string): Promise<StandbyState | undefined> =>
  ((await m.query('select * from standby where charter = $1 and workload = $2', [charter, workload])) as StandbyState[])[0];
/** Those of a cluster that follow: nothing else writes to their volumes. */
export const following = async (m: EntityManager, charter: string, workloads: readonly string[]): Promise<Set<string>> => {
  const active = (await m.query("select workload from standby where charter = $1 and state = 'active'", [charter])) as {
    workload: string;
  }[];
  return new Set(workloads.filter((w) => !active.some((a) => a.workload === w)));
};

type Which = { id: string; lane: string };
/** The copy that a step of this cluster writes to; undefined: it is about none. */
const ownOf = (run: RunRow, step: Which) => {
  const { standby } = askedOf(run);
  return standby && placeOf(run, step).charter === run.subject ? standby : undefined;
};

/** From here on the volume is neither what it was nor what it becomes. */
export async function holdsNothing(m: EntityManager, run: RunRow, step: Which): Promise<void> {
  const standby = ownOf(run, step);
  if (!standby) return;
  await m.query(
    `insert into standby (charter, workload) values ($1, $2)
     on conflict (charter, workload) do update set holds = standby.holds - $3::text, whole = false`,
    [run.subject, standby.workload, placeOf(run, step).volume],
  );
  await noteBackups(m, run.subject);
}
/** It is there, and each of its blocks was held against the backup. */
export async function holdsOf(m: EntityManager, run: RunRow, step: Which, at: Date): Promise<void> {
  const standby = ownOf(run, step);
  if (!standby) return;
  const volumes = new Set(run.steps.flatMap((s) => (s.kind === 'restore' && ownOf(run, s) ? placeOf(run, s).volume : [])));
  await m.query(
    `update standby set holds = holds || jsonb_build_object($3::text, $4::text), fault = null,
       whole = (select count(*) from jsonb_object_keys(holds || jsonb_build_object($3::text, $4::text)) k where k = any($5)) = cardinality($5)
     where charter = $1 and workload = $2`,
    [run.subject, standby.workload, placeOf(run, step).volume, at.toISOString(), [...volumes]],
  );
  await noteBackups(m, run.subject);
}
/** What ran at the other cluster has ended there. */
export async function endedThere(m: EntityManager, run: RunRow, step: Which): Promise<void> {
  const { standby, what } = askedOf(run);
  if (!standby || placeOf(run, step).charter === run.subject || what === 'give-back') return;
  const last = run.steps.filter((s) => s.kind === 'halt' && placeOf(run, s).charter !== run.subject).at(-1);
  if (last?.id !== step.id) return;
  await m.query('update standby set ended = true where charter = $1 and workload = $2', [run.subject, standby.workload]);
  await noteBackups(m, run.subject);
}
/** Where it runs from now on. Put down before anything is started, so that nothing follows any more that is used. */
export async function turned(m: EntityManager, run: RunRow): Promise<void> {
  const { standby, what } = askedOf(run);
  if (!standby) return;
  const at = [run.subject, standby.workload];
  if (what === 'activate')
    await m.query(
      `insert into standby (charter, workload, state, since, activated_by, ended) values ($1, $2, 'active', now(), $3, $4)
       on conflict (charter, workload) do update set state = 'active', since = now(), activated_by = $3, ended = $4, fault = null
       where standby.state <> 'active'`,
      [...at, run.runBy ?? run.createdBy, !run.steps.some((s) => s.kind === 'silent')],
    );
  if (what === 'give-back')
    // What it has is what was given back: it follows from there.
    await m.query(
      `update standby set state = 'follows', ended = true, since = null, activated_by = null,
         holds = (select coalesce(jsonb_object_agg(volume, at), '{}') from
           (select volume, to_char(max(at) at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"') as at from volume_backup
             where charter = $1 and volume = any($3) group by volume) x), whole = true
       where charter = $1 and workload = $2 and state = 'active'`,
      [...at, run.steps.flatMap((s) => (s.kind === 'copy' ? placeOf(run, s).volume : []))],
    );
  await noteBackups(m, run.subject);
}
/** A try to follow failed: it holds what it held, or nothing whole. */
export async function notFollowed(m: EntityManager, run: RunRow, fault: string): Promise<void> {
  const { standby, what } = askedOf(run);
  if (!standby || what !== 'follow') return;
  await m.query(
    `insert into standby (charter, workload, fault) values ($1, $2, $3) on conflict (charter, workload) do update set fault = $3`,
    [run.subject, standby.workload, fault.slice(0, 500)],
  );
  await noteBackups(m, run.subject);
}
