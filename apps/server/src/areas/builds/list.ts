import type * as answers from '@praesidor/contract';
import { expectedEnd, type RunStatus, type RunSummary, type Step, summaryOf, timesOf, underWay } from '@praesidor/core/schedule';
import type { EntityManager } from 'typeorm';
import type { z } from 'zod';
import { saidAndCame } from '../../engine/history.ts';
import { statusesOf } from '../../engine/state.ts';

/** As many as a list gives at once. */
const atOnce = 500;

interface Row {
  id: number;
  charter: string;
  number: number;
  kind: z.input<typeof answers.BuildSummary>['kind'];
  title: string;
  site: string;
  created_at: Date;
  created_by: string;
  admitted: boolean;
  asks: boolean;
  summary: RunSummary | null;
  open: boolean;
}

/** Changes of clusters in a few numbers, the newest first; those under way with their expected end. `next` is where the list goes on. */
export async function buildsOf(
  m: EntityManager,
  { before, charter }: { before?: number | undefined; charter?: string | undefined } = {},
): Promise<z.input<typeof answers.Builds>> {
  const rows = (await m.query(
    `select b.id, b.charter, b.number, b.kind, r.title, r.site, r.created_at, r.created_by, r.admitted, r.approval is not distinct from 'asked' as asks, r.summary, r.state in ('queued', 'running', 'paused') as open
     from build b join run r on r.id = b.id where ($1::int is null or b.id < $1) and ($2::text is null or b.charter = $2) order by b.id desc limit $3`,
    [before ?? null, charter ?? null, atOnce + 1],
  )) as Row[];
  const shown = rows.slice(0, atOnce);
  // What is under way has gone on since it was summed up last.
  const looked = shown.filter((r) => r.open || !r.summary).map((r) => r.id);
  const runs = (await m.query('select id, steps from run where id = any($1)', [looked])) as { id: number; steps: Step[] }[];
  const stepsOf = new Map(runs.map((r) => [r.id, r.steps]));
  const states = await statusesOf(m, runs);
  return {
    builds: shown.map((r) => {
      const status = states.get(r.id);
      const steps = stepsOf.get(r.id) ?? [];
      return {
        charter: r.charter,
        number: r.number,
        kind: r.kind,
        title: r.title,
        site: r.site,
        createdAt: r.created_at,
        createdBy: r.created_by,
        ...(status ? summaryOf(steps, status) : (r.summary as RunSummary)),
        ...(status && underWay(status)
          ? {
              waits: status.state === 'queued' && !r.admitted,
              asks: status.state === 'queued' && r.asks,
              ...expected(steps, status),
            }
          : {}),
      };
    }),
    said: await saidAndCame(m),
    ...(rows.length > atOnce ? { next: shown.at(-1)?.id } : {}),
  };
}

function expected(steps: readonly Step[], status: RunStatus) {
  // Of many at once: fewer courses are drawn of each.
  const { from, middle, to } = expectedEnd(steps, status, Date.now(), 24);
  return { from, end: middle, to };
}

/** How long each kind of step took in the changes that ended well, the last two hundred of them in the order of time. */
export async function buildTimes(m: EntityManager): Promise<z.input<typeof answers.BuildTimes>> {
  const rows = (await m.query(
    `select b.charter, b.number, r.ended_at as at, r.steps, r.status from build b join run r on r.id = b.id
     where r.state = 'done' and r.status is not null order by r.id desc limit 200`,
  )) as { charter: string; number: number; at: Date; steps: Step[]; status: RunStatus }[];
  return {
    builds: rows
      .reverse()
      .map(({ charter, number, at, steps, status }) => ({ charter, number, at, kinds: timesOf({ steps, status }) })),
  };
}
