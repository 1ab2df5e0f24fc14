import {
  expectedEnd,
  type Known,
  learned,
  newRun,
  type RunStatus,
  type Step,
  StepKind,
  type Took,
  tookOf,
} from '@praesidor/core/schedule';
import type { DataSource, EntityManager } from 'typeorm';
import type { RunRow } from '../db/tables.ts';

/** Of each kind of step so many are gone by, the latest; twice as many are kept. */
const goneBy = 400;

/** Puts down how long the steps of a run took that came to a good end: by these later ones are estimated. In the transaction in which it ends. */
export async function remember(m: EntityManager, run: Pick<RunRow, 'id' | 'steps'>, status: RunStatus): Promise<void> {
  if (status.state !== 'done') return;
  const rows = run.steps.flatMap((s) => {
    const seconds = tookOf(s, status);
    return seconds === undefined ? [] : [{ kind: s.kind, model: s.model ?? '', size: s.size ?? 1, seconds }];
  });
  await m.query(
    'insert into step_took (run, kind, model, size, seconds) select $1, x.kind, x.model, x.size, x.seconds from jsonb_to_recordset($2::jsonb) as x(kind text, model text, size float8, seconds float8)',
    [run.id, JSON.stringify(rows)],
  );
  for (const kind of new Set(rows.map((r) => r.kind)))
    await m.query(
      'delete from step_took where kind = $1 and id <= (select id from step_took where kind = $1 order by id desc offset $2 limit 1)',
      [kind, 2 * goneBy],
    );
}

/** What was learned last, by the database that it was learned from, and up to which step. */
const last = new WeakMap<DataSource, { upto: string; known: Known }>();

/** What this installation's own history says of how long steps take: learned anew when steps came. */
export async function known(m: EntityManager): Promise<Known> {
  const [{ upto } = { upto: '0' }] = (await m.query('select coalesce(max(id), 0) as upto from step_took')) as { upto: string }[];
  const before = last.get(m.connection);
  if (before?.upto === upto) return before.known;
  const rows = (await m.query(
    `select t.run, t.kind, t.model, t.size, t.seconds from unnest($1::text[]) k,
       lateral (select * from step_took where kind = k order by id desc limit $2) t`,
    [StepKind.options, goneBy],
  )) as Took[];
  const now = learned(rows);
  last.set(m.connection, { upto, known: now });
  return now;
}

/** Says when a run ends, before it begins: kept, so that it can be held against what came. In seconds from its begin. */
export async function say(m: EntityManager, run: Pick<RunRow, 'id' | 'steps'>): Promise<void> {
  const { from, middle, to } = expectedEnd(run.steps as readonly Step[], newRun(run.steps), 0, 100);
  await m.query('update run set said = $2 where id = $1 and said is null', [
    run.id,
    JSON.stringify({ from: from / 1000, middle: middle / 1000, to: to / 1000 }),
  ]);
}

/** Of the last hundred changes that ended well without a stop: how many there are, and how many ended within what was said of them. */
export async function saidAndCame(m: EntityManager): Promise<{ of: number; within: number }> {
  const [row] = (await m.query(
    `select count(*)::int as of, count(*) filter (where took between (said->>'from')::float8 and (said->>'to')::float8)::int as within from (
       select said, extract(epoch from (status->>'ended')::timestamptz - (status->>'begun')::timestamptz) as took from run r
       where kind = 'change' and state = 'done' and said is not null and not exists (
         select 1 from run_event e where e.run = r.id and e.data->>'kind' in ('paused', 'failed', 'stopped', 'resumed'))
       order by id desc limit 100) x`,
  )) as { of: number; within: number }[];
  return row ?? { of: 0, within: 0 };
}
