import { setMaxListeners } from 'node:events';
import type { Plan } from '@praesidor/core/charter';
import { doTo } from '@praesidor/core/hosts';
import { ended, ready, type Step, stepOf } from '@praesidor/core/schedule';
import { ProtocolError } from '@praesidor/protocols/dial';
import type { Context } from '../../context.ts';
import { isAway } from '../../db/errors.ts';
import { type BuildRow, Builds } from '../../db/tables.ts';
import { needDoc, putDoc } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { whyNot } from '../../access/permit.ts';
import { record } from '../../audit.ts';
import { Refusal } from '../../refusal.ts';
import { nameOf } from './name.ts';
import { append, logLine, statusOf } from './state.ts';
import { closeBoot, installationOf, kitOf, openBoot } from './kit-of-build.ts';
import { type Report, type StepContext, StepFailure } from './step.ts';
import { runners } from './steps/index.ts';

/**
 * Drives one build to its end: starts what is ready, stores what happens. It may be ended at any moment and
 * called again by any process; what ran then runs again, what was done holds.
 */
export async function drive(ctx: Context, id: number, signal: AbortSignal): Promise<void> {
  const build = await ctx.db.manager.findOneBy(Builds, { id });
  if (!build || !['queued', 'running', 'paused'].includes(build.state)) return;
  const steps = build.steps as Step[];
  const plan = build.plan as Plan;
  const why = await whyNot(ctx.db.manager, build.runBy ?? build.createdBy, 'builds.run');
  if (why) {
    await ctx.db.transaction(async (m) => {
      await closeBoot(m, build.id);
      await logLine(m, build, steps[0]?.id ?? '', 'fail', why);
      await append(m, build, { kind: 'stopped' });
      await record(m, 'Praesidor', 'stopped a build', build.charter, { number: build.number, why });
    });
    return;
  }
  await openBoot(ctx, build);
  const first = await statusOf(ctx.db.manager, build);
  if (first.status.state === 'queued') await append(ctx.db.manager, build, { kind: 'begun' });
  else if (Object.values(first.status.steps).some((s) => s.state === 'running')) {
    const paused = first.status.state === 'paused';
    await append(ctx.db.manager, build, { kind: 'resumed' });
    if (paused) await append(ctx.db.manager, build, { kind: 'paused' });
  }
  const flying = new Map<string, Promise<void>>();
  /** What kept a step's end from being put down: the database is away. The queue drives the build on when it is back. */
  let broke: unknown;
  const halt = new AbortController();
  // Every step of a large build listens for the stop.
  setMaxListeners(0, halt.signal, signal);
  signal.addEventListener('abort', () => halt.abort(), { once: true });
  const fly = (step: Step) =>
    perform(ctx, build, plan, step, halt.signal)
      .catch((e: unknown) => {
        broke ??= e;
        halt.abort();
      })
      .finally(() => flying.delete(step.id));
  try {
    for (;;) {
      const { status } = await statusOf(ctx.db.manager, build);
      if (signal.aborted || broke) break;
      if (status.state === 'stopped') {
        halt.abort();
        break;
      }
      for (const step of ready(steps, status)) if (!flying.has(step.id)) flying.set(step.id, fly(step));
      if (!flying.size && status.state === 'running' && ended(steps, status)) {
        if (await finish(ctx, build, plan)) return;
        continue;
      }
      await Promise.race([
        ...flying.values(),
        ctx.bus.next((e) => e.kind === 'Build' && e.subject === `${build.charter} ${build.number}`, 1000, halt.signal),
      ]);
    }
  } finally {
    halt.abort();
    await Promise.all(flying.values());
  }
  if (broke) throw broke;
}

/** @returns false: a step was begun again in the meantime, and it goes on */
async function finish(ctx: Context, build: BuildRow, plan: Plan): Promise<boolean> {
  return ctx.db.transaction(async (m) => {
    await m.query('select 1 from build where id = $1 for update', [build.id]);
    if (!ended(build.steps as Step[], (await statusOf(m, build)).status)) return false;
    await append(m, build, { kind: 'finished' });
    await closeBoot(m, build.id);
    const { status } = await statusOf(m, build);
    if (status.state !== 'done') return true;
    for (const host of build.moves.joins) {
      const { doc } = await needDoc(m, 'Host', host);
      const step = doTo(doc, 'serve', { fits: true });
      if ('refused' in step) throw new Error(`${host} cannot serve: ${step.refused}`);
      const held = step.host.held && {
        ...step.host.held,
        release: plan.charter.release,
        // Its disks were laid out by this change, unless it stood before.
        ...(build.moves.stands.includes(host) ? {} : { installed: installationOf(build) }),
      };
      await putDoc(m, { ...step.host, ...(held ? { held } : {}) }, nameOf(build));
    }
    if (build.kind === 'build') await record(m, nameOf(build), 'built and proved', build.charter, { nodes: plan.nodes.length });
    else await record(m, nameOf(build), 'changed and proved', build.charter, { what: build.title });
    return true;
  });
}

async function perform(ctx: Context, build: BuildRow, plan: Plan, step: Step, signal: AbortSignal): Promise<void> {
  const m = ctx.db.manager;
  const say = (line: string, level: 'info' | 'warn' | 'fail' = 'info') => logLine(m, build, step.id, level, line);
  try {
    await append(m, build, { kind: 'started', step: step.id });
    const { estate } = await loadEstate(ctx.db);
    // What may be erased can have changed since the build began.
    const now = (await m.findOneBy(Builds, { id: build.id })) ?? build;
    const text = await runStep(ctx, now, plan, step, estate, say, signal);
    if (signal.aborted) return;
    await say(text);
    await append(m, build, { kind: 'succeeded', step: step.id, text });
  } catch (e) {
    if (signal.aborted) return;
    // The step did not break: what it would be put down in is away.
    if (isAway(e)) throw e;
    const remedy = e instanceof StepFailure ? e.remedy : e instanceof Refusal ? e.more.remedy : undefined;
    const text =
      e instanceof StepFailure || e instanceof Refusal || e instanceof ProtocolError
        ? e.message
        : `something in Praesidor itself went wrong: ${(e as Error).message}`;
    if (!(e instanceof StepFailure || e instanceof Refusal || e instanceof ProtocolError))
      ctx.log('step failed', { step: step.id, error: (e as Error).stack });
    await say(text, 'fail').catch(() => undefined);
    const code = e instanceof StepFailure ? e.code : undefined;
    await append(m, build, { kind: 'failed', step: step.id, text, ...(remedy ? { remedy } : {}), ...(code ? { code } : {}) });
  }
}

async function runStep(
  ctx: Context,
  build: BuildRow,
  plan: Plan,
  step: Step,
  estate: Awaited<ReturnType<typeof loadEstate>>['estate'],
  say: (line: string, level?: 'info' | 'warn') => Promise<void>,
  signal: AbortSignal,
): Promise<string> {
  const m = ctx.db.manager;
  const kit = await kitOf(ctx, build, estate);
  const runner = runners.get(step.kind);
  if (!runner) throw new StepFailure(`This version of Praesidor has no steps of kind ${step.kind}`);
  let progressed = 0;
  let lastActivity = Date.now();
  const retry = await lastAttemptFailed(ctx, build, step);
  let after = await lastReport(ctx, build, step, retry);
  const context: StepContext = {
    ctx,
    build,
    plan,
    estate,
    step,
    node: plan.nodes.find((n) => n.host === step.host),
    kit,
    signal,
    retry,
    log: say,
    progress: async (done, of, text) => {
      if (done < of && Date.now() - progressed < 200) return;
      progressed = Date.now();
      lastActivity = progressed;
      await append(m, build, { kind: 'progress', step: step.id, done, of, ...(text ? { text } : {}) });
    },
    healed: (text) => append(m, build, { kind: 'healed', step: step.id, text }),
    reports: async () => {
      const rows = (await m.query('select id, data from build_report where build = $1 and host = $2 and id > $3 order by id', [
        build.id,
        step.host ?? '',
        after,
      ])) as { id: string; data: Report }[];
      if (rows.length) lastActivity = Date.now();
      after = Number(rows.at(-1)?.id ?? after);
      return rows.map((r) => r.data);
    },
    until: async (ask, otherwise) => {
      lastActivity = Date.now();
      for (;;) {
        const answer = await ask();
        if (answer !== undefined) return answer;
        if (signal.aborted) throw new Error('stopped');
        const silent = Date.now() - lastActivity;
        if (silent > ctx.config.timeoutSeconds * 1000 && silent > (await stepTimeout(ctx, build, step)) * 1000)
          throw new StepFailure(
            `${otherwise()}. Waited ${span((Date.now() - lastActivity) / 1000)} for a sign of it`,
            `Look at ${step.host ?? 'the cluster'} itself, then resume: the build goes on at this step.`,
          );
        await ctx.bus.next(
          (e) => (e.kind === 'Report' || e.kind === 'Gate') && e.subject === `${build.id} ${step.host ?? ''}`,
          step.host ? 1000 : 200,
          signal,
        );
      }
    },
    kube: () => ({
      dialer: ctx.dialer,
      host: plan.api.name,
      address: plan.api.address,
      port: plan.api.port,
      ca: kit.secret('cluster-ca.crt'),
      certificate: kit.secret('admin.crt'),
      key: kit.secret('admin.key'),
    }),
    etcd: ({ name, address }) => ({
      dialer: ctx.dialer,
      host: name,
      address,
      port: 2379,
      ca: kit.secret('etcd-ca.crt'),
      certificate: kit.secret('apiserver-etcd.crt'),
      key: kit.secret('apiserver-etcd.key'),
    }),
  };
  return runner.run(context);
}

/** Whether this try follows one that failed, and not one that was cut off by a stop or a kill. */
async function lastAttemptFailed(ctx: Context, build: BuildRow, step: Step): Promise<boolean> {
  const rows = (await ctx.db.manager.query(
    "select data->>'kind' as kind from build_event where build = $1 and data->>'step' = $2 and data->>'kind' in ('started', 'failed') order by id desc limit 2",
    [build.id, step.id],
  )) as { kind: string }[];
  return rows[1]?.kind === 'failed';
}

/** Reports of an earlier try do not count: from before the host was told to start, or, after a failure, from before this try. */
async function lastReport(ctx: Context, build: BuildRow, step: Step, retry: boolean): Promise<number> {
  const [row] = (await ctx.db.manager.query(
    `select coalesce(max(r.id), 0) as id from build_report r where r.build = $1 and r.host = $2 and r.at < coalesce(
    (select max((e.data->>'at')::timestamptz) from build_event e where e.build = $1 and e.data->>'step' = $3 and e.data->>'kind' = 'started'), 'epoch')`,
    [build.id, step.host ?? '', (retry ? step : (stepOf(build.steps as Step[], 'power', step.host) ?? step)).id],
  )) as { id: string }[];
  return Number(row?.id ?? 0);
}

/** Seconds without a sign of life before a step is given up: four times the slowest of the same kind in this build, else four times the usual 90 %; never under the configured time-out. */
async function stepTimeout(ctx: Context, build: BuildRow, step: Step): Promise<number> {
  const { status } = await statusOf(ctx.db.manager, build);
  const took = (build.steps as Step[])
    .filter((s) => s.kind === step.kind && s.id !== step.id)
    .map((s) => status.steps[s.id])
    .flatMap((s) => (s?.state === 'done' && s.started && s.ended ? [(Date.parse(s.ended) - Date.parse(s.started)) / 1000] : []));
  return Math.max(ctx.config.timeoutSeconds, 4 * (took.length ? Math.max(...took) : step.p90));
}

const span = (s: number) => (s < 90 ? `${Math.round(s)} s` : `${Math.round(s / 60)} min`);
