import { endAuthority, nextAuthority } from '../clusters/authorities.ts';
import { changeKind } from '@praesidor/core/changes';
import type { Plan } from '@praesidor/core/charter';
import type { KitContext } from '@praesidor/core/files';
import { doTo } from '@praesidor/core/hosts';
import { type Estate, same } from '@praesidor/core/model';
import { passed, type Step, stepOf } from '@praesidor/core/schedule';
import type { EntityManager } from 'typeorm';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import type { BuildRow, RunRow } from '../../db/tables.ts';
import { Silence, StepFailure } from '../../engine/failure.ts';
import { memoryOf, type RunKind, type StepTools } from '../../engine/kind.ts';
import { stepsOf } from '../../engine/state.ts';
import { drivenNow } from '../../engine/turns.ts';
import type { Track } from '../../engine/track.ts';
import { needDoc, putDoc } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { estateNow } from '../../estate/now.ts';
import { Refusal } from '../../refusal.ts';
import { closeBoot, installationOf, kitOf, openBoot } from './kit-of-build.ts';
import { etcdOf, kubeAt, kubeOf } from './kube-of.ts';
import { nameOf } from './name.ts';
import { forgetLines, requestedOf } from './proofs.ts';
import { dueOf } from './due.ts';
import { certificatesEnd } from './installed.ts';
import { findBuild } from './rows.ts';
import type { Report, StepContext } from './step.ts';
import { runners } from './steps/index.ts';

/** Changes of clusters, as the engine carries them out. It knows no kinds of change: steps, whom they bring in and whom they take out are data. */
export const changeRun: RunKind = {
  kind: 'change',
  act: 'builds.run',
  noun: 'a build',
  called: ({ asked }) => `build ${asked.number} of ${asked.charter}`,
  recorded: ({ asked }) => ({ subject: String(asked.charter), facts: { number: asked.number } }),
  open: async (ctx, run, track) => {
    const build = await needBuildOf(ctx.db.manager, run);
    // Nobody of a cluster that is taken in is started.
    if (build.kind !== 'take-in') await openBoot(ctx, build);
    const kits = new Kits(ctx);
    return {
      perform: (tools) => performIn(ctx, build, kits, track, tools),
      finish: async (m, { state }) => {
        await closeBoot(m, build.id);
        if (state !== 'done') return;
        await settle(ctx, m, build);
        if (run.asked.further) await ctx.queue.send(m, 'onward', String(run.id));
      },
    };
  },
  resumed: async (ctx, m, run, status) => {
    const build = await needBuildOf(m, run);
    await nothingUnderWay(m, build.charter, build.id);
    // As long as no host was touched, the plan is made anew: what was mended in between counts.
    if (!build.steps.some((s) => s.host && (status.steps[s.id]?.attempt ?? 0) > 0)) await planAnew(ctx, m, build);
    await m.query('update build set boot_epoch = boot_epoch + 1 where id = $1', [build.id]);
  },
  closed: async (m, run) => void (await closeBoot(m, run.id)),
};

async function needBuildOf(m: EntityManager, run: Pick<RunRow, 'id' | 'subject'>): Promise<BuildRow> {
  const build = await findBuild(m, run.id);
  if (!build) throw new Error(`run ${run.id} (${run.subject}) has no build`);
  return build;
}

async function planAnew(ctx: Context, m: EntityManager, build: BuildRow): Promise<void> {
  const { estate } = await loadEstate(m);
  const { plan, due } = await dueOf(ctx, m, estate, build.charter, build.kind, await requestedOf(ctx, build.charter, estate));
  if (due?.kind !== build.kind || due.refused.length)
    throw new Refusal('conflict', `${build.title} is not what is due for ${build.charter} by now.`, {
      remedy: due ? `Begin “${due.title}” instead.` : 'It stands as planned.',
    });
  const asApproved = same(JSON.parse(JSON.stringify([plan, due.steps])), [build.plan, build.steps]);
  if (build.approval === 'given' && !asApproved)
    throw new Refusal('four-eyes', `${build.title} would do something else by now than what ${build.approvedBy} approved.`, {
      remedy: 'Begin it anew, and have it approved as it is.',
    });
  await m.query('update build set plan = $2, moves = $3 where id = $1', [
    build.id,
    JSON.stringify(plan),
    JSON.stringify({ joins: due.joins, leaves: due.leaves, stands: due.stands }),
  ]);
  await m.query('update run set steps = $2, title = $3 where id = $1', [build.id, stepsOf(due.steps), due.title]);
}

/** Two changes at once would each work on what the other one plans with. */
export async function nothingUnderWay(m: EntityManager, charter: string, own?: number): Promise<void> {
  await m.query('select pg_advisory_xact_lock(727016, hashtext($1))', [charter]);
  const all = (await m.query(
    `select r.id, b.number, r.title, r.run_by, r.state in ('queued', 'running', 'paused') as open from build b join run r on r.id = b.id
     where b.charter = $1 and (r.state in ('queued', 'running', 'paused') or (r.state = 'stopped' and r.ended_at > now() - interval '1 hour')) order by 5 desc`,
    [charter],
  )) as { id: number; number: number; title: string; run_by: string | null; open: boolean }[];
  const other = all.find((r) => r.open);
  const letGo = all.filter((r) => !r.open && r.id !== own);
  const driven = await drivenNow(
    m,
    letGo.map((r) => r.id),
  );
  const still = letGo.find((r) => driven.has(r.id));
  if (!other && still)
    throw new Refusal('not-now', `“${still.title}” was stopped a moment ago, and a step of it has not ended yet.`, {
      remedy: 'Try again in a moment.',
    });
  if (other)
    throw new Refusal(
      'not-now',
      `“${other.title}” is under way already: number ${other.number} of ${charter}, begun by ${other.run_by}.`,
      {
        remedy: 'Wait for its end, or stop it.',
      },
    );
}

/** What a change that ended well leaves behind: its hosts serve, with what they were installed with. */
async function settle(ctx: Context, m: EntityManager, build: BuildRow): Promise<void> {
  const plan = build.plan as Plan;
  if (changeKind(build.kind).ends) await forgetLines(m, build.charter);
  if (build.kind === 'authority') await endAuthority(ctx.config, m, build.charter);
  const certificates = await certificatesEnd(ctx, m, build.charter);
  const authority = await nextAuthority(ctx.config, m, build.charter);
  for (const host of build.moves.joins) {
    const { doc } = await needDoc(m, 'Host', host);
    const step = doTo(doc, 'serve', { fits: true });
    if ('refused' in step) throw new Error(`${host} cannot serve: ${step.refused}`);
    const held = step.host.held && {
      ...step.host.held,
      release: plan.charter.release,
      ...(certificates ? { certificates } : {}),
      ...(authority && build.kind !== 'take-in' ? { authority } : {}),
      // Its disks were laid out by this change, unless it stood before.
      ...(build.kind === 'take-in'
        ? { elsewhere: true as const }
        : build.moves.stands.includes(host)
          ? {}
          : { installed: installationOf(build) }),
    };
    await putDoc(m, { ...step.host, ...(held ? { held } : {}) }, nameOf(build));
  }
  const told = { about: 'ended', site: build.site } as const;
  const { number } = build;
  if (build.kind === 'build')
    await record(
      m,
      nameOf(build),
      'built and proved',
      build.charter,
      { number, nodes: plan.nodes.length },
      undefined,
      undefined,
      told,
    );
  else
    await record(
      m,
      nameOf(build),
      'changed and proved',
      build.charter,
      { number, what: build.title },
      undefined,
      undefined,
      told,
    );
}

/** The kit of a build as its steps ask for it: made anew when the estate or what was decided has changed. */
class Kits {
  private last: { estate: Estate; erase: string; kit: Promise<KitContext> } | undefined;
  constructor(private readonly ctx: Context) {}
  of(build: BuildRow, estate: Estate): Promise<KitContext> {
    const erase = build.erase.join(' ');
    if (this.last?.estate !== estate || this.last.erase !== erase) {
      const kit = kitOf(this.ctx, build, estate);
      this.last = { estate, erase, kit };
      // One that could not be made is not kept.
      kit.catch(() => {
        if (this.last?.kit === kit) this.last = undefined;
      });
    }
    return this.last.kit;
  }
}

async function performIn(ctx: Context, was: BuildRow, kits: Kits, track: Track, tools: StepTools): Promise<string> {
  const m = ctx.db.manager;
  const { step, signal, before } = tools;
  const plan = was.plan as Plan;
  const runner = runners.get(step.kind);
  if (!runner) throw new StepFailure(`This version of Praesidor has no steps of kind ${step.kind}`);
  const estate = await estateNow(ctx.db);
  // What may be erased can have changed since the build began.
  const [decided] = (await m.query('select erase, decided from build where id = $1', [was.id])) as Pick<
    BuildRow,
    'erase' | 'decided'
  >[];
  const build = { ...was, ...decided };
  const kit = await kits.of(build, estate);
  let lastActivity = Date.now();
  const retry = before.failed !== undefined;
  let after: number | undefined;
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
    cutOff: before.attempt > 1 && !retry,
    log: tools.log,
    progress: async (done, of, text) => {
      lastActivity = Date.now();
      await tools.progress(done, of, text);
    },
    healed: tools.healed,
    ...memoryOf(tools),
    noted: (kind, key) => track.status.steps[stepOf(build.steps, kind, step.host)?.id ?? '']?.notes?.[key],
    reports: async () => {
      after ??= await lastReport(m, build, track, step, retry);
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
        if (silent > ctx.config.timeoutSeconds * 1000 && silent > stepTimeout(ctx, track, build.steps, step) * 1000)
          throw new Silence(
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
    kube: (member) => (member ? kubeAt(ctx, plan, kit, member) : kubeOf(ctx, plan, kit)),
    etcd: (node) => etcdOf(ctx, kit, node),
  };
  return runner.run(context);
}

/** Reports of an earlier try do not count: from before the host was told to start, or, after a failure, from before this try. */
async function lastReport(m: EntityManager, build: BuildRow, track: Track, step: Step, retry: boolean): Promise<number> {
  const from = retry ? step : (stepOf(build.steps, 'power', step.host) ?? step);
  const [row] = (await m.query(
    'select coalesce(max(id), 0) as id from build_report where build = $1 and host = $2 and at < $3::timestamptz',
    [build.id, step.host ?? '', track.status.steps[from.id]?.started ?? 'epoch'],
  )) as { id: string }[];
  return Number(row?.id ?? 0);
}

/** Seconds without a sign of life before a step is given up: four times the slowest of the same kind in this build, else four times the usual 90 %; never under the configured time-out. */
function stepTimeout(ctx: Context, track: Track, steps: readonly Step[], step: Step): number {
  const took = steps
    .filter((s) => s.kind === step.kind && s.id !== step.id)
    .map((s) => track.status.steps[s.id])
    .flatMap((s) => (s && passed(s.state) && s.started && s.ended ? [(Date.parse(s.ended) - Date.parse(s.started)) / 1000] : []));
  return Math.max(ctx.config.timeoutSeconds, 4 * (took.length ? Math.max(...took) : step.p90));
}

const span = (s: number) => (s < 90 ? `${Math.round(s)} s` : `${Math.round(s / 60)} min`);
