import type * as answers from '@praesidor/contract';
import { coldStartOf, startSteps, stopSteps, switchedBy } from '@praesidor/core/cold-start';
import { openStates } from '@praesidor/core/schedule';
import type { EntityManager } from 'typeorm';
import type { z } from 'zod';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { actOnRun, type RunAct } from '../../engine/acts.ts';
import { lastRun, shownRun } from '../../engine/last-run.ts';
import { queueRun } from '../../engine/turns.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { Refusal } from '../../refusal.ts';
import { standing } from '../builds/proofs.ts';
import { powerRun } from './run.ts';

export type PowerTo = 'start' | 'stop';
const last = (m: EntityManager, site: string) => lastRun(m, 'power', site);

/** How a site was started or stopped last. */
export async function powerNow(ctx: Context, site: string): Promise<z.input<typeof answers.SitePower>> {
  const m = ctx.db.manager;
  const run = await last(m, site);
  return run ? { last: { ...(await shownRun(m, run)), to: run.asked.to as PowerTo } } : {};
}

/** Begins to start a site, or to shut its hosts down. @throws Refusal */
export async function beginPower(ctx: Context, site: string, to: PowerTo, who: string): Promise<number> {
  return ctx.db.transaction(async (m) => {
    await m.query('select pg_advisory_xact_lock(727020, hashtext($1))', [site]);
    const { estate } = await loadEstate(m);
    const { title } = needIn(estate, 'Site', site);
    const all = coldStartOf(estate, site);
    const { steps } = all ? (to === 'start' ? startSteps : stopSteps)(all, site, switchedBy(estate.hosts)) : { steps: [] };
    // Who was not built from here is not asked.
    const stands = new Set((await standing(ctx, estate)).map((b) => b.charter));
    const told = steps.filter((s) => {
      const [, name = ''] = /^answers\/(?:control-plane|nodes) (.*)$/.exec(s.id) ?? [];
      return !name || stands.has(name);
    });
    const ids = new Set(told.map((s) => s.id));
    if (!told.some((s) => s.host))
      throw new Refusal('not-now', `No host of ${title} is switched from here.`, {
        remedy: 'Accept the controllers of its hosts, or do it in the room.',
      });
    const [open] = (await m.query(
      `select title, coalesce(run_by, created_by) as who from run where site = $1 and kind in ('change', 'loss', 'power', 'backup', 'work') and state = any($2) limit 1`,
      [site, openStates],
    )) as { title: string; who: string }[];
    if (open)
      throw new Refusal('not-now', `${open.title} is under way at ${title}: ${open.who} began that.`, {
        remedy: 'Wait for its end, or stop it.',
      });
    const id = await queueRun(
      ctx,
      m,
      {
        kind: 'power',
        subject: site,
        exclusive: `Power ${site}`,
        site,
        title: to === 'start' ? `Start of ${title}` : `Stop of ${title}`,
        steps: told.map((s) => ({ ...s, after: s.after.filter((a) => ids.has(a)) })),
        asked: { to },
      },
      who,
      { secondPerson: true },
    );
    await record(m, who, to === 'start' ? 'began to start a site' : 'began to stop a site', site, {
      hosts: told.filter((s) => s.host).length,
    });
    return id;
  });
}

/** Stops it, or goes on with what failed or was stopped of it. */
export async function actOnPower(ctx: Context, site: string, act: RunAct, who: string): Promise<void> {
  await ctx.db.transaction(async (m) => {
    const run = await last(m, site);
    if (!run) throw new Refusal('not-found', `${site} was never started or stopped from here.`);
    await actOnRun(ctx, m, powerRun, run, act, who);
  });
}
