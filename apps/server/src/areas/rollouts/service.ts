import type * as answers from '@praesidor/contract';
import { versionOf } from '@praesidor/core/model';
import { type RolloutAsked, rolloutOf } from '@praesidor/core/rollout';
import { openStates } from '@praesidor/core/schedule';
import { counted } from '@praesidor/core/words';
import type { z } from 'zod';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { actOnRun, type RunAct } from '../../engine/acts.ts';
import { known } from '../../engine/history.ts';
import { lastRun, shownRun } from '../../engine/last-run.ts';
import { queueRun } from '../../engine/turns.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { Refusal } from '../../refusal.ts';
import { rolloutRun } from './run.ts';

/** How a template was rolled out last. */
export async function rolloutNow(ctx: Context, template: string): Promise<z.input<typeof answers.Rollout>> {
  const m = ctx.db.manager;
  const run = await lastRun(m, 'rollout', template);
  return run ? { last: { ...(await shownRun(m, run)), asked: run.asked as never } } : {};
}

/** Begins to roll a version of a template out. @throws Refusal where it is being rolled out, or a cluster is not of it */
export async function beginRollout(ctx: Context, name: string, asked: RolloutAsked, who: string): Promise<number> {
  return ctx.db.transaction(async (m) => {
    await m.query('select pg_advisory_xact_lock(727022, hashtext($1))', [name]);
    const { estate } = await loadEstate(m);
    const template = needIn(estate, 'Template', name);
    if (!versionOf(template, asked.version))
      throw new Refusal('invalid', `${name} has no version ${asked.version}.`, {
        places: [{ path: 'version', message: 'not known' }],
      });
    const open = await lastRun(m, 'rollout', name);
    if (open && (openStates as readonly string[]).includes(open.state))
      throw new Refusal('not-now', `${open.title} is under way: ${open.runBy ?? open.createdBy} began that.`, {
        remedy: 'Wait for its end, or stop it.',
      });
    const { steps, strange } = rolloutOf(template, estate, asked, await known(m));
    if (strange.length)
      throw new Refusal(
        'invalid',
        `${strange.slice(0, 5).join(', ')} ${strange.length === 1 ? 'is no cluster' : 'are no clusters'} of ${name}.`,
        {
          places: [{ path: 'waves', message: strange.join(', ') }],
        },
      );
    const id = await queueRun(
      ctx,
      m,
      {
        kind: 'rollout',
        subject: name,
        exclusive: `Rollout ${name}`,
        site: '',
        title: `Version ${asked.version} of ${name}`,
        steps,
        asked,
      },
      who,
    );
    const clusters = asked.waves.flat();
    await record(m, who, 'began a roll-out', name, {
      version: asked.version,
      what: `${counted(clusters.length, 'cluster')} in ${counted(asked.waves.length, 'wave')}`,
      clusters,
    });
    return id;
  });
}

/** Pauses, stops, or goes on with the last roll-out of a template. */
export async function actOnRollout(ctx: Context, name: string, act: RunAct, who: string): Promise<void> {
  await ctx.db.transaction(async (m) => {
    const run = await lastRun(m, 'rollout', name);
    if (!run) throw new Refusal('not-found', `${name} was never rolled out from here.`);
    await actOnRun(ctx, m, rolloutRun, run, act, who);
  });
}
