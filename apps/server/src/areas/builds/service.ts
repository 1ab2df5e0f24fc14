import { gzipSync } from 'node:zlib';
import { counted } from '@praesidor/core/words';
import { resolve } from '@praesidor/core/charter';
import { type ChangeName, changeAsked, changeDue, changeKind, type ChangePlan } from '@praesidor/core/changes';
import { type BuildStatus, type Decided, decisions, failedSteps, stateText, type Step } from '@praesidor/core/schedule';
import type { EntityManager } from 'typeorm';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { type BuildRow, Builds } from '../../db/tables.ts';
import { toRefusal } from '../../db/errors.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { hold, planOf } from '../clusters/service.ts';
import { closeBoot } from './kit-of-build.ts';
import { append, known, needBuild, statusOf } from './state.ts';

/** The change that is due for a cluster, as its charter is saved, or one that somebody asks for; undefined: it stands as planned. */
export async function dueChange(ctx: Context, name: string, asked?: ChangeName): Promise<ChangePlan | undefined> {
  const { plan, estate } = await planOf(ctx, name);
  const times = await known(ctx.db.manager);
  return asked ? changeAsked(asked, plan, estate, times) : changeDue(plan, estate, times);
}

/**
 * Begins a change of a cluster to its charter as it is saved: everything is held first, and nothing that stops may stand. It is the kind
 * that somebody saw, or it is refused: what is due can have become another one meanwhile.
 */
export async function beginChange(
  ctx: Context,
  name: string,
  kind: ChangeName,
  who: string,
  confirmed?: string,
): Promise<BuildRow> {
  const asked = changeKind(kind).asked !== undefined;
  if (asked && confirmed !== name)
    throw new Refusal('invalid', `${changeKind(kind).label} is confirmed by the name of the cluster.`, {
      remedy: `Send confirm: ${name}.`,
    });
  try {
    return await ctx.db.transaction(async (m) => {
      // What ends holds nothing more, and no finding keeps it.
      if (!asked) await hold(m, name, who);
      const { estate } = await loadEstate(m);
      const charter = needIn(estate, 'Charter', name);
      const stops = asked ? [] : await ctx.compute.stopsOf(estate, name);
      if (stops.length)
        throw new Refusal(
          'not-now',
          `${name} cannot be built: ${counted(stops.length, 'finding stops', 'findings stop')} it. ${stops[0]?.code} ${stops[0]?.title}.`,
          {
            places: stops.map((f) => ({ path: f.path.join('.'), code: f.code, message: f.title })),
            remedy: 'Open the charter and settle what stands in its margin.',
          },
        );
      const plan = resolve(charter, estate);
      await nothingUnderWay(m, name);
      const times = await known(m);
      const due = asked ? changeAsked(kind, plan, estate, times) : changeDue(plan, estate, times);
      if (!due && asked) throw new Refusal('not-now', `No host serves ${name}: there is nothing to take down.`);
      if (!due)
        throw new Refusal('not-now', `${name} stands as planned: there is nothing to ${changeKind(kind).label.toLowerCase()}.`, {
          remedy: 'Change its charter first.',
        });
      if (due.kind !== kind)
        throw new Refusal('conflict', `What is due for ${name} is “${due.title}” by now, not “${changeKind(kind).label}”.`, {
          remedy: 'Look at what would be done, and begin that.',
        });
      if (due.refused.length)
        throw new Refusal('not-now', `${due.title}: ${due.refused.join('; ')}.`, { remedy: 'Change the charter.' });
      const [{ revision } = { revision: 1 }] = (await m.query(
        'select coalesce(max(revision), 1) as revision from charter_revision where charter = $1',
        [name],
      )) as { revision: number }[];
      const [{ last } = { last: 0 }] = (await m.query('select coalesce(max(number), 0) as last from build where charter = $1', [
        name,
      ])) as { last: number }[];
      const {
        identifiers: [made],
      } = await m.insert(Builds, {
        charter: name,
        number: last + 1,
        revision,
        plan: plan as never,
        kind,
        title: due.title,
        moves: { joins: due.joins, leaves: due.leaves, stands: due.stands } as never,
        steps: due.steps as never,
        createdAt: new Date(),
        createdBy: who,
        state: 'queued',
        runBy: who,
      });
      const id = (made as { id: number }).id;
      // What it writes is kept, so that what would be written later can be held against it.
      const kit = await ctx.compute.kitOf(estate, name, ctx.config.publicUrl);
      await m.query('insert into build_kit (build, files) values ($1, $2)', [
        id,
        gzipSync(JSON.stringify(Object.fromEntries(kit.map((f) => [f.path, f.content])))),
      ]);
      await ctx.queue.send(m, 'build', String(id));
      await record(m, who, kind === 'build' ? 'began a build' : 'began a change', name, {
        number: last + 1,
        revision,
        ...(kind === 'build' ? {} : { what: due.title }),
      });
      await tell(m, 'Build', `${name} ${last + 1}`);
      return (await m.findOneBy(Builds, { id })) as BuildRow;
    });
  } catch (e) {
    throw toRefusal(e);
  }
}

/** Two changes at once would each work on what the other one plans with. */
async function nothingUnderWay(m: EntityManager, charter: string): Promise<void> {
  await m.query('select pg_advisory_xact_lock(727016, hashtext($1))', [charter]);
  const [other] = (await m.query(
    "select number, title, run_by from build where charter = $1 and state in ('queued', 'running', 'paused')",
    [charter],
  )) as { number: number; title: string; run_by: string | null }[];
  if (other)
    throw new Refusal(
      'not-now',
      `“${other.title}” is under way already: number ${other.number} of ${charter}, begun by ${other.run_by}.`,
      {
        remedy: 'Wait for its end, or stop it.',
      },
    );
}

const acts = {
  pause: { from: ['running'], event: 'paused', text: 'paused a build' },
  continue: { from: ['paused'], event: 'continued', text: 'continued a build' },
  stop: { from: ['running', 'paused', 'queued'], event: 'stopped', text: 'stopped a build' },
  resume: { from: ['failed', 'stopped'], event: 'resumed', text: 'resumed a build' },
  retry: { from: ['running', 'paused'], event: 'retried', text: 'retried the failed steps of a build' },
} as const;
export type BuildAct = keyof typeof acts;
export const buildActs = Object.keys(acts) as BuildAct[];

/** @param decided for `resume` and `retry`: what is to be done about hosts whose steps failed */
export async function act(
  ctx: Context,
  charter: string,
  number: number,
  name: BuildAct,
  who: string,
  decided: Decided = {},
): Promise<void> {
  try {
    await ctx.db.transaction(async (m) => {
      const build = await needBuild(m, charter, number);
      await m.query('select 1 from build where id = $1 for update', [build.id]);
      const { status } = await statusOf(m, build);
      const { from, event, text } = acts[name];
      const own = new Set([charter, ...(build.steps as Step[]).flatMap((s) => s.host ?? [])]);
      const strange = Object.values(decided)
        .flat()
        .filter((h) => !own.has(h));
      if (strange.length) throw new Refusal('invalid', `Build ${number} of ${charter} has no host ${strange.join(', ')}.`);
      if (!(from as readonly string[]).includes(status.state))
        throw new Refusal(
          'not-now',
          `Build ${number} of ${charter} is ${stateText[status.state]}; to ${name} it, it must be ${from.map((s) => stateText[s]).join(' or ')}.`,
        );
      if (name === 'resume') {
        await nothingUnderWay(m, charter);
        // As long as no host was touched, the plan is made anew: what was mended in between counts.
        if (!(build.steps as Step[]).some((s) => s.host && (status.steps[s.id]?.attempt ?? 0) > 0)) {
          const { estate } = await loadEstate(m);
          const plan = resolve(needIn(estate, 'Charter', charter), estate);
          const times = await known(m);
          const due = changeKind(build.kind).asked
            ? changeAsked(build.kind, plan, estate, times)
            : changeDue(plan, estate, times);
          if (due?.kind !== build.kind || due.refused.length)
            throw new Refusal('conflict', `${build.title} is not what is due for ${charter} by now.`, {
              remedy: due ? `Begin “${due.title}” instead.` : 'It stands as planned.',
            });
          await m.query('update build set plan = $2, steps = $3, title = $4, moves = $5 where id = $1', [
            build.id,
            JSON.stringify(plan),
            JSON.stringify(due.steps),
            due.title,
            JSON.stringify({ joins: due.joins, leaves: due.leaves, stands: due.stands }),
          ]);
        }
        await m.query("update build set state = 'running', boot_epoch = boot_epoch + 1, run_by = $2 where id = $1", [
          build.id,
          who,
        ]);
        await ctx.queue.send(m, 'build', String(build.id));
      }
      if (name === 'stop' || name === 'resume') await closeBoot(m, build.id);
      await decide(m, build, decided);
      if (event === 'retried') await retry(m, build, status);
      else await append(m, build, { kind: event });
      const said = [
        text,
        ...Object.values(decisions).flatMap((d) => (decided[d.key]?.length ? d.said(decided[d.key]?.join(', ') ?? '') : [])),
      ].join(' and ');
      await record(m, who, said, charter, { number });
    });
  } catch (e) {
    throw toRefusal(e);
  }
}

/** Puts down what was decided for which hosts; it holds for the rest of the change. */
async function decide(m: EntityManager, build: BuildRow, { erase = [], ...more }: Decided): Promise<void> {
  const both = (key: keyof typeof more) => [...new Set([...(build.decided[key] ?? []), ...(more[key] ?? [])])];
  await m.query('update build set erase = $2, decided = $3 where id = $1', [
    build.id,
    [...new Set([...build.erase, ...erase])],
    JSON.stringify({ undrained: both('undrained'), off: both('off'), unbacked: both('unbacked') }),
  ]);
}

/** Has every failed step of a build that is under way tried again, while the rest goes on. */
async function retry(m: EntityManager, build: BuildRow, status: BuildStatus): Promise<void> {
  const failed = failedSteps(build.steps as Step[], status);
  if (!failed.length)
    throw new Refusal('not-now', `No step of build ${build.number} of ${build.charter} has failed.`, {
      remedy: 'Look at the build: somebody may have tried them again already.',
    });
  for (const step of failed) await append(m, build, { kind: 'retried', step: step.id });
  await tell(m, 'Build', `${build.charter} ${build.number}`);
}
