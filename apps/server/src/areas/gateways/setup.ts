import type * as answers from '@praesidor/contract';
import { gatewaySteps } from '@praesidor/core/changes';
import { gatewayAccount } from '@praesidor/core/files';
import { openStates } from '@praesidor/core/schedule';
import type { EntityManager } from 'typeorm';
import type { z } from 'zod';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { type RunRow, Runs } from '../../db/tables.ts';
import { actOnRun, type RunAct } from '../../engine/acts.ts';
import { known } from '../../engine/history.ts';
import { statusOf } from '../../engine/state.ts';
import { queueRun } from '../../engine/turns.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { Refusal } from '../../refusal.ts';
import { gatewayKey } from './key.ts';
import { setupRun } from './setup-run.ts';

type Setup = z.input<typeof answers.Setup>;

/** What a gateway is set up with, and how the last setting up of it went. */
export async function setupOf(ctx: Context, name: string): Promise<Setup> {
  const m = ctx.db.manager;
  const { estate } = await loadEstate(m);
  const gateway = needIn(estate, 'Gateway', name);
  const run = await last(m, name);
  const { public: key } = await gatewayKey(ctx.config, m);
  return {
    account: gatewayAccount(key),
    lacks: gateway.members.filter((x) => !x.login).map((x) => x.name),
    ...(run
      ? {
          last: {
            id: run.id,
            createdAt: run.createdAt,
            createdBy: run.createdBy,
            endedAt: run.endedAt,
            approval: run.approval,
            approvedBy: run.approvedBy,
            steps: run.steps,
            status: await statusOf(m, run),
            log: (await m.query('select id::int, step, at, level, line from run_log where run = $1 order by id desc limit 500', [
              run.id,
            ])) as z.input<typeof answers.LogLine>[],
          },
        }
      : {}),
  };
}

const last = (m: EntityManager, name: string): Promise<RunRow | null> =>
  m.findOne(Runs, { where: { kind: 'gateway', subject: name }, order: { id: 'DESC' } });

/** Begins to set a gateway up. @throws Refusal where a member cannot be entered, or it is being set up */
export async function beginSetup(ctx: Context, name: string, who: string): Promise<number> {
  return ctx.db.transaction(async (m) => {
    await m.query('select pg_advisory_xact_lock(727017, hashtext($1))', [name]);
    const { estate } = await loadEstate(m);
    const gateway = needIn(estate, 'Gateway', name);
    const lacks = gateway.members.filter((x) => !x.login).map((x) => x.name);
    if (lacks.length)
      throw new Refusal('not-now', `No log-in is declared for ${lacks.join(' and ')}.`, {
        remedy: 'Declare it at the member, or carry the files there by hand.',
      });
    const open = await last(m, name);
    if (open && (openStates as readonly string[]).includes(open.state))
      throw new Refusal('not-now', `${name} is being set up: ${open.runBy ?? open.createdBy} began that.`, {
        remedy: 'Wait for its end, or stop it.',
      });
    const id = await queueRun(
      ctx,
      m,
      {
        kind: 'gateway',
        subject: name,
        exclusive: `Gateway ${name}`,
        site: gateway.site,
        title: `Set ${name} up`,
        steps: gatewaySteps(gateway, await known(m)),
        asked: {},
      },
      who,
      { secondPerson: true },
    );
    await record(m, who, 'began to set up a gateway', name, { members: gateway.members.map((x) => x.name) });
    return id;
  });
}

/** Stops it, or goes on with what failed or was stopped of it. */
export async function actOnSetup(ctx: Context, name: string, act: RunAct, who: string): Promise<void> {
  await ctx.db.transaction(async (m) => {
    const run = await last(m, name);
    if (!run) throw new Refusal('not-found', `${name} was never set up from here.`);
    await actOnRun(ctx, m, setupRun, run, act, who);
  });
}
