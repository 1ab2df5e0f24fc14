import type { EntityManager } from 'typeorm';
import { type BuildEvent, type BuildStatus, stateAfter, type Step, type StepKind } from '@praesidor/core/schedule';
import { type BuildRow, Builds } from '../../db/tables.ts';
import { tell, publishTransient } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';

type NewEvent = BuildEvent extends infer E ? (E extends { at: string } ? Omit<E, 'at'> : never) : never;

/** Stores what happened; the state of a build is nothing but the fold of its events. */
export async function append(m: EntityManager, build: BuildRow, event: NewEvent): Promise<void> {
  await m.query(
    "insert into build_event (build, data) values ($1, jsonb_set($2::jsonb, '{at}', to_jsonb(to_char(clock_timestamp() at time zone 'utc', 'YYYY-MM-DD\"T\"HH24:MI:SS.MS\"Z\"'))))",
    [build.id, JSON.stringify(event)],
  );
  if (!('step' in event)) {
    const { status } = await statusOf(m, build);
    await m.query('update build set state = $2 where id = $1', [build.id, status.state]);
    await tell(m, 'Build', `${build.charter} ${build.number}`);
  } else await publishTransient(m, 'BuildProgress', `${build.charter} ${build.number}`);
}

export async function statusOf(m: EntityManager, build: BuildRow): Promise<{ status: BuildStatus; last: number }> {
  const rows = (await m.query('select id, data from build_event where build = $1 order by id', [build.id])) as {
    id: string;
    data: BuildEvent;
  }[];
  return {
    status: stateAfter(
      build.steps as Step[],
      rows.map((r) => r.data),
    ),
    last: Number(rows.at(-1)?.id ?? 0),
  };
}

export async function needBuild(m: EntityManager, charter: string, number: number): Promise<BuildRow> {
  const b = await m.findOneBy(Builds, { charter, number });
  if (!b) throw new Refusal('not-found', `There is no build ${number} of ${charter}.`);
  return b;
}

export async function logLine(
  m: EntityManager,
  build: BuildRow,
  step: string,
  level: 'info' | 'warn' | 'fail',
  line: string,
): Promise<void> {
  await m.query('insert into build_log (build, step, level, line) values ($1, $2, $3, $4)', [
    build.id,
    step,
    level,
    line.slice(0, 2000),
  ]);
  await publishTransient(m, 'BuildLog', `${build.charter} ${build.number} ${step}`);
}

/** Median and 90 % of every kind of step, from builds that ended well here; kinds with fewer than three stay as usual. */
export async function known(m: EntityManager): Promise<Partial<Record<StepKind, [number, number]>>> {
  const rows = (await m.query(`
    with e as (select b.id, ev.data->>'step' as step, ev.data->>'kind' as kind, (ev.data->>'at')::timestamptz as at, s->>'kind' as step_kind
      from build b join build_event ev on ev.build = b.id join lateral jsonb_array_elements(b.steps) s on s->>'id' = ev.data->>'step' where b.state = 'done'),
    d as (select id, step, step_kind, extract(epoch from max(at) filter (where kind = 'succeeded') - max(at) filter (where kind = 'started')) as took from e group by 1, 2, 3)
    select step_kind, percentile_cont(0.5) within group (order by took) as p50, percentile_cont(0.9) within group (order by took) as p90 from d where took > 0 group by 1 having count(*) >= 3`)) as {
    step_kind: StepKind;
    p50: number;
    p90: number;
  }[];
  return Object.fromEntries(rows.map((r) => [r.step_kind, [Math.max(0.1, r.p50), Math.max(0.2, r.p90)]]));
}
