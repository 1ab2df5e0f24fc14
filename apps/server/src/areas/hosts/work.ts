import type * as answers from '@praesidor/contract';
import type { Host } from '@praesidor/core/model';
import { modelOf, openStates, type RunStatus, share, type Step, type StepStatus } from '@praesidor/core/schedule';
import { counted } from '@praesidor/core/words';
import type { EntityManager } from 'typeorm';
import type { z } from 'zod';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { type RunRow, Runs } from '../../db/tables.ts';
import { actOnRun, type RunAct } from '../../engine/acts.ts';
import { memoryOf, type RunKind } from '../../engine/kind.ts';
import { known } from '../../engine/history.ts';
import { statusesOf } from '../../engine/state.ts';
import { drivenNow, queueRun } from '../../engine/turns.ts';
import { loadEstate } from '../../estate/load.ts';
import { publishTransient } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { workKinds } from './work/index.ts';
import type { WorkKind } from './work/kind.ts';

type Work = z.input<typeof answers.Work>;
export interface Begun {
  work: Work | undefined;
  refused: { host: string; why: string }[];
}

/** Begins work on the hosts that can have it; each that cannot is told why, and keeps nobody from the others. */
export async function beginWork(
  ctx: Context,
  kind: WorkKind,
  hosts: readonly string[],
  asked: Record<string, unknown>,
  who: string,
): Promise<Begun> {
  const refused: Begun['refused'] = [];
  const taken: string[] = [];
  for (const host of new Set(hosts)) {
    const why = await kind.refuse(ctx, host, asked).catch((e: Error) => {
      if (e instanceof Refusal) return e.message;
      throw e;
    });
    if (why) refused.push({ host, why });
    else taken.push(host);
  }
  if (!taken.length) return { work: undefined, refused };
  const run = await ctx.db.transaction(async (m) => {
    const busy = await busyHosts(m);
    const both = taken.find((h) => busy.has(h));
    if (both)
      throw new Refusal('conflict', `${both} is being worked on: ${busy.get(both)}.`, { remedy: 'Let that end, or stop it.' });
    const { estate } = await loadEstate(m);
    const byName = new Map(estate.hosts.map((h) => [h.name, h]));
    const title = `${kind.title} ${taken.length === 1 ? taken[0] : counted(taken.length, 'host')}`;
    const times = await known(m);
    const steps = taken.map((name): Step => {
      const host = byName.get(name) as Host;
      const of = kind.limit === 'hypervisor' ? host.guest?.hypervisor : host.site;
      return {
        id: name,
        lane: name,
        host: name,
        kind: kind.kind,
        title: kind.kind,
        after: [],
        ...times(kind.kind, about(host)),
        ...about(host),
        ...(of ? { shares: share(estate, kind.limit, of) } : {}),
      };
    });
    const site = byName.get(taken[0] as string)?.site ?? '';
    const id = await queueRun(ctx, m, { kind: 'work', subject: '', site, title, steps, asked }, who);
    await m.query('update run set subject = $2 where id = $1', [id, String(id)]);
    await record(m, who, title.toLowerCase(), taken.join(' ').slice(0, 300), { ...asked, hosts: taken });
    return m.findOneByOrFail(Runs, { id });
  });
  await publishTransient(ctx.db.manager, 'Work', run.subject);
  return { work: (await shown(ctx.db.manager, [run]))[0], refused };
}

/** What work on a host is estimated by: its model, and how much there is to erase, in GB. */
const about = (host: Host) => {
  const size = host.facts?.disks.reduce((sum, d) => sum + d.sizeGB, 0);
  return { model: modelOf(host), ...(size ? { size } : {}) };
};

/** Hosts on which work is under way, each with what it is. Asked under a lock, so that two cannot begin at once. */
async function busyHosts(m: EntityManager): Promise<Map<string, string>> {
  await m.query('select pg_advisory_xact_lock(727005)');
  const runs = await openWork(m);
  const driven = await drivenNow(
    m,
    runs.map((r) => r.id),
  );
  const states = await statusesOf(m, runs);
  return new Map(
    runs.flatMap((r) =>
      r.steps.flatMap((s): [string, string][] => {
        const state = states.get(r.id)?.steps[s.id]?.state;
        const open = isOpen(r) ? state === 'waiting' || state === 'running' : driven.has(r.id) && state === 'cut';
        return s.host && open ? [[s.host, r.title]] : [];
      }),
    ),
  );
}
const isOpen = (run: Pick<RunRow, 'state'>) => (openStates as readonly string[]).includes(run.state);
/** What is under way, and what was stopped a moment ago: a process may not have let go of it yet. */
const openWork = (m: EntityManager) =>
  m
    .createQueryBuilder(Runs, 'r')
    .where("r.kind = 'work' and (r.state in (:...open) or (r.state = 'stopped' and r.endedAt > now() - interval '1 hour'))", {
      open: openStates,
    })
    .getMany();

/** Stops work, or goes on with what failed or was stopped of it. */
export async function actOnWork(ctx: Context, id: number, act: RunAct, who: string): Promise<void> {
  await ctx.db.transaction(async (m) => {
    const run = await m.findOneBy(Runs, { id, kind: 'work' });
    if (!run) throw new Refusal('not-found', `There is no work ${id}.`);
    if (act === 'stop' && !isOpen(run)) throw new Refusal('not-now', 'That work is not running (any more).');
    await actOnRun(ctx, m, workRun, run, act, who);
  });
}

/** Work on hosts, as the engine carries it out: a step a host, each by itself. */
export const workRun: RunKind = {
  kind: 'work',
  act: 'hosts.work',
  noun: 'work',
  called: (run) => run.title.charAt(0).toLowerCase() + run.title.slice(1),
  recorded: (run) => ({ subject: run.title, facts: {} }),
  resumed: async (_, m, run, status) => {
    const busy = await busyHosts(m);
    const both = run.steps.find((s) => s.host && status.steps[s.id]?.state !== 'done' && busy.has(s.host));
    if (both?.host)
      throw new Refusal('conflict', `${both.host} is being worked on: ${busy.get(both.host)}.`, {
        remedy: 'Let that end first.',
      });
  },
  open: async (ctx, run) => ({
    perform: async (tools) => {
      const { step, signal, progress } = tools;
      const kind = workKinds.get(step.kind);
      if (!kind || !step.host) throw new Error(`there is no work ${step.kind}`);
      return kind.run({
        ctx,
        host: step.host,
        who: run.runBy ?? run.createdBy,
        signal,
        asked: run.asked,
        ...memoryOf(tools),
        progress: (percent, text) => progress(percent, 100, text),
      });
    },
  }),
};

/** Work of the last day and what is under way; of one host: all of it. The newest first. */
export async function worksOf(m: EntityManager, host?: string): Promise<Work[]> {
  const q = m.createQueryBuilder(Runs, 'r').where("r.kind = 'work'");
  if (host === undefined) q.andWhere("(r.state in (:...open) or r.createdAt > now() - interval '1 day')", { open: openStates });
  else q.andWhere('r.steps @> :steps', { steps: JSON.stringify([{ host }]) });
  return shown(m, await q.orderBy('r.id', 'DESC').limit(30).getMany());
}

async function shown(m: EntityManager, runs: readonly RunRow[]): Promise<Work[]> {
  const states = await statusesOf(m, runs);
  const stopped = runs.filter((r) => r.state === 'stopped').map((r) => r.id);
  const driven = stopped.length ? await drivenNow(m, stopped) : new Set<number>();
  return runs.map((r) => {
    const status = states.get(r.id) as RunStatus;
    return {
      id: r.id,
      kind: r.steps[0]?.kind ?? '',
      site: r.site,
      title: r.title,
      items: r.steps.map((s) => item(s, status)),
      state: driven.has(r.id) ? 'stopping' : status.state === 'queued' || status.state === 'paused' ? 'running' : status.state,
      createdAt: r.createdAt,
      createdBy: r.createdBy,
      endedAt: r.endedAt,
    };
  });
}

function item(step: Step, { state, steps }: RunStatus): Work['items'][number] {
  const s: StepStatus = steps[step.id] ?? { state: 'waiting', attempt: 0, healed: [] };
  const cut = s.state === 'cut' || (state === 'stopped' && s.state === 'waiting');
  return {
    host: step.host ?? step.lane,
    state: cut ? 'stopped' : s.state === 'skipped' || s.state === 'done' ? 'done' : (s.state as 'waiting' | 'running' | 'failed'),
    percent: s.state === 'done' ? 100 : Math.round(((s.done ?? 0) / (s.of || 100)) * 100),
    text: cut && s.attempt === 0 ? 'not begun' : (s.text ?? ''),
    ...(s.remedy ? { remedy: s.remedy } : {}),
  };
}
