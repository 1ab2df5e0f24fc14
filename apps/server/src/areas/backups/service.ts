import type * as answers from '@praesidor/contract';
import { planOf, volumesAsked } from '@praesidor/core/backup';
import { openStates, type Step } from '@praesidor/core/schedule';
import { counted } from '@praesidor/core/words';
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
import { standing } from '../builds/proofs.ts';
import { backupsOf, shown } from './rows.ts';
import { backupRun } from './run.ts';

const last = (m: EntityManager, charter: string): Promise<RunRow | null> =>
  m.findOne(Runs, { where: { kind: 'backup', subject: charter }, order: { id: 'DESC' } });

/** Backups of a cluster, and how the last run went. */
export async function backupsNow(ctx: Context, charter: string): Promise<z.input<typeof answers.Backups>> {
  const m = ctx.db.manager;
  const run = await last(m, charter);
  return {
    backups: (await backupsOf(m, charter)).map(shown),
    ...(run
      ? {
          last: {
            id: run.id,
            title: run.title,
            createdAt: run.createdAt,
            createdBy: run.createdBy,
            steps: run.steps,
            status: await statusOf(m, run),
          },
        }
      : {}),
  };
}

export interface Wanted {
  what: 'copy' | 'trial';
  /** Volumes by name; all that a plan backs up where not given. */
  volumes?: readonly string[] | undefined;
  /** Those of one plan. */
  plan?: string | undefined;
  /** One backup that is tested, by its number. */
  backup?: number | undefined;
  labels?: readonly string[] | undefined;
}

/** Begins to back up, or to test. @throws Refusal where nothing is to be done, or one is under way */
export async function beginBackup(ctx: Context, m: EntityManager, name: string, wanted: Wanted, who: string): Promise<number> {
  await m.query('select pg_advisory_xact_lock(727019, hashtext($1))', [name]);
  const { estate } = await loadEstate(m);
  const charter = needIn(estate, 'Charter', name);
  const all = volumesAsked(charter);
  const strange = wanted.volumes?.find((v) => !all.some((a) => a.name === v));
  if (strange)
    throw new Refusal('not-found', `No workload of ${name} has a volume ${strange}.`, {
      remedy: `There are ${all.map((a) => a.name).join(', ') || 'none'}.`,
    });
  const of = all.flatMap((v) => {
    const plan = planOf(charter, v.of);
    return plan && (!wanted.plan || plan.name === wanted.plan) && (!wanted.volumes || wanted.volumes.includes(v.name))
      ? [{ v, plan }]
      : [];
  });
  if (!of.length)
    throw new Refusal('not-now', `No plan of ${name} backs ${wanted.volumes ? wanted.volumes.join(', ') : 'a volume'} up.`, {
      remedy: 'Add a plan for backups to its charter.',
    });
  const open = await last(m, name);
  if (open && (openStates as readonly string[]).includes(open.state))
    throw new Refusal('not-now', `${open.title} is under way: ${open.runBy ?? open.createdBy} began that.`, {
      remedy: 'Wait for its end, or stop it.',
    });
  if (wanted.what === 'copy' && !(await standing(ctx, estate, name)).length)
    throw new Refusal('not-now', `${name} was not built from here, or is being changed.`, {
      remedy: 'Build it, or wait for the end of its change.',
    });
  const times = await known(m);
  const step = (kind: 'copy' | 'trial' | 'keep', lane: string, title: string, after: string[]): Step => ({
    id: `${kind}/${lane}`,
    lane,
    kind,
    title,
    after,
    ...times(kind),
    model: name,
  });
  // One after the other: a host and a link are not to be filled by several at once.
  const steps: Step[] = [];
  for (const { v } of of)
    steps.push(
      step(
        wanted.what,
        v.name,
        wanted.what === 'copy' ? 'back up' : 'test',
        steps.slice(-1).map((s) => s.id),
      ),
    );
  if (wanted.what === 'copy')
    for (const store of new Set(of.map((o) => o.plan.store)))
      steps.push(
        step(
          'keep',
          store,
          'drop what is kept no longer',
          of.filter((o) => o.plan.store === store).map((o) => `copy/${o.v.name}`),
        ),
      );
  const title = `${wanted.what === 'copy' ? 'Backup' : 'Test of backups'} of ${of.length === 1 ? of[0]?.v.name : counted(of.length, 'volume')} of ${name}`;
  const id = await queueRun(
    ctx,
    m,
    {
      kind: 'backup',
      subject: name,
      exclusive: `Backup ${name}`,
      site: charter.site,
      title,
      steps,
      asked: {
        what: wanted.what,
        ...(wanted.labels?.length ? { labels: wanted.labels } : {}),
        ...(wanted.backup ? { backup: wanted.backup } : {}),
      },
    },
    who,
  );
  await record(m, who, wanted.what === 'copy' ? 'began a backup' : 'began to test backups', name, {
    volumes: of.map((o) => o.v.name),
  });
  return id;
}

/** Stops it, or goes on with what failed or was stopped of it. */
export async function actOnBackup(ctx: Context, name: string, act: RunAct, who: string): Promise<void> {
  await ctx.db.transaction(async (m) => {
    const run = await last(m, name);
    if (!run) throw new Refusal('not-found', `Nothing of ${name} was backed up from here.`);
    await actOnRun(ctx, m, backupRun, run, act, who);
  });
}
