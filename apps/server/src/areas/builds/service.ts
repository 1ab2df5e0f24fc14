import { gzipSync } from 'node:zlib';
import { counted } from '@praesidor/core/words';
import { type Plan, resolve } from '@praesidor/core/charter';
import { type BuildStatus, failedSteps, stateText, type Step, stepsOf } from '@praesidor/core/schedule';
import type { EntityManager } from 'typeorm';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { type BuildRow, Builds } from '../../db/tables.ts';
import { toRefusal } from '../../db/errors.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { hold } from '../clusters/service.ts';
import { closeBoot } from './kit-of-build.ts';
import { append, known, needBuild, statusOf } from './state.ts';

/** Begins a build of a charter as it is saved: everything is held first, and nothing that stops may stand. */
export async function beginBuild(ctx: Context, name: string, who: string): Promise<BuildRow> {
  try {
    return await ctx.db.transaction(async (m) => {
      await hold(m, name, who);
      const { estate } = await loadEstate(m);
      const charter = needIn(estate, 'Charter', name);
      const stops = await ctx.compute.stopsOf(estate, name);
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
      if (plan.nodes.some((n) => estate.hosts.find((h) => h.name === n.host)?.state === 'serving'))
        throw new Refusal('not-now', `${name} serves already.`, { remedy: 'Tear it down first, if it is to be built again.' });
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
        steps: stepsOf(plan, await known(m)) as never,
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
      await record(m, who, 'began a build', name, { number: last + 1, revision });
      await tell(m, 'Build', `${name} ${last + 1}`);
      return (await m.findOneBy(Builds, { id })) as BuildRow;
    });
  } catch (e) {
    throw toRefusal(e);
  }
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

/** @param erase for `resume` and `retry`: hosts whose disks are erased, whatever they hold, where they lay them out */
export async function act(
  ctx: Context,
  charter: string,
  number: number,
  name: BuildAct,
  who: string,
  erase: readonly string[] = [],
): Promise<void> {
  try {
    await ctx.db.transaction(async (m) => {
      const build = await needBuild(m, charter, number);
      await m.query('select 1 from build where id = $1 for update', [build.id]);
      const { status } = await statusOf(m, build);
      const { from, event, text } = acts[name];
      const strange = erase.filter((h) => !(build.plan as Plan).nodes.some((n) => n.host === h));
      if (strange.length) throw new Refusal('invalid', `Build ${number} of ${charter} has no host ${strange.join(', ')}.`);
      if (!(from as readonly string[]).includes(status.state))
        throw new Refusal(
          'not-now',
          `Build ${number} of ${charter} is ${stateText[status.state]}; to ${name} it, it must be ${from.map((s) => stateText[s]).join(' or ')}.`,
        );
      if (name === 'resume') {
        // As long as no host was touched, the plan is made anew: what was mended in between counts.
        if (!(build.steps as Step[]).some((s) => s.host && (status.steps[s.id]?.attempt ?? 0) > 0)) {
          const { estate } = await loadEstate(m);
          const plan = resolve(needIn(estate, 'Charter', charter), estate);
          await m.query('update build set plan = $2, steps = $3 where id = $1', [
            build.id,
            JSON.stringify(plan),
            JSON.stringify(stepsOf(plan, await known(m))),
          ]);
        }
        await m.query("update build set state = 'running', boot_epoch = boot_epoch + 1, run_by = $2, erase = $3 where id = $1", [
          build.id,
          who,
          [...new Set([...build.erase, ...erase])],
        ]);
        await ctx.queue.send(m, 'build', String(build.id));
      }
      if (name === 'stop' || name === 'resume') await closeBoot(m, build.id);
      if (event === 'retried') await retry(m, build, status, erase);
      else await append(m, build, { kind: event });
      const said = erase.length ? `${text} and let it erase disks of ${erase.join(', ')}` : text;
      await record(m, who, said, charter, { number });
    });
  } catch (e) {
    throw toRefusal(e);
  }
}

/** Has every failed step of a build that is under way tried again, while the rest goes on. */
async function retry(m: EntityManager, build: BuildRow, status: BuildStatus, erase: readonly string[]): Promise<void> {
  const failed = failedSteps(build.steps as Step[], status);
  if (!failed.length)
    throw new Refusal('not-now', `No step of build ${build.number} of ${build.charter} has failed.`, {
      remedy: 'Look at the build: somebody may have tried them again already.',
    });
  if (erase.length)
    await m.query('update build set erase = $2 where id = $1', [build.id, [...new Set([...build.erase, ...erase])]]);
  for (const step of failed) await append(m, build, { kind: 'retried', step: step.id });
  await tell(m, 'Build', `${build.charter} ${build.number}`);
}
