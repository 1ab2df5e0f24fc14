import type * as answers from '@praesidor/contract';
import { planOf, volumesAsked } from '@praesidor/core/backup';
import { openStates, type Step } from '@praesidor/core/schedule';
import { counted } from '@praesidor/core/words';
import type { EntityManager } from 'typeorm';
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
import { standing } from '../builds/proofs.ts';
import { backupById, backupsOf, shown } from './rows.ts';
import { askedOf } from './asked.ts';
import { backupRun } from './run.ts';
import { following } from './standby-rows.ts';

const last = (m: EntityManager, charter: string) => lastRun(m, 'backup', charter);

/** Backups of a cluster, and how the last run went. */
export async function backupsNow(ctx: Context, charter: string): Promise<z.input<typeof answers.Backups>> {
  const m = ctx.db.manager;
  const run = await last(m, charter);
  const backups = (await backupsOf(m, charter)).map(shown);
  if (!run) return { backups };
  const { what, standby } = askedOf(run);
  return { backups, last: { ...(await shownRun(m, run)), what, ...(standby ? { standby: standby.workload } : {}) } };
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

/** Steps of such a run, with what they usually take. */
export const stepsFor =
  (times: Awaited<ReturnType<typeof known>>, model: string) =>
  (kind: Step['kind'], lane: string, title: string, after: string[]): Step => ({
    id: `${kind}/${lane}`,
    lane,
    kind,
    title,
    after,
    ...times(kind),
    model,
  });
/** One run at a time for the volumes of a cluster: of its own, or of a standby copy of it that is activated or given back. @throws Refusal */
export async function nothingUnderWay(m: EntityManager, name: string): Promise<void> {
  const [open] = (await m.query(
    `select title, coalesce(run_by, created_by) as who from run where kind = 'backup' and state = any($2)
       and (subject = $1 or (asked->>'what' <> 'follow' and asked->'standby'->>'cluster' = $1)) limit 1`,
    [name, openStates],
  )) as { title: string; who: string }[];
  if (open)
    throw new Refusal('not-now', `${open.title} is under way: ${open.who} began that.`, {
      remedy: 'Wait for its end, or stop it.',
    });
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
  // What follows another cluster is backed up there.
  const follows = await following(
    m,
    name,
    (charter.standbys ?? []).map((s) => s.workload),
  );
  const of = all.flatMap((v) => {
    const plan = follows.has(v.workload) && wanted.what === 'copy' ? undefined : planOf(charter, v.of);
    return plan && (!wanted.plan || plan.name === wanted.plan) && (!wanted.volumes || wanted.volumes.includes(v.name))
      ? [{ v, plan }]
      : [];
  });
  if (!of.length)
    throw new Refusal('not-now', `No plan of ${name} backs ${wanted.volumes ? wanted.volumes.join(', ') : 'a volume'} up.`, {
      remedy: 'Add a plan for backups to its charter.',
    });
  await nothingUnderWay(m, name);
  if (wanted.what === 'copy' && !(await standing(ctx, estate, name)).length)
    throw new Refusal('not-now', `${name} was not built from here, or is being changed.`, {
      remedy: 'Build it, or wait for the end of its change.',
    });
  const step = stepsFor(await known(m), name);
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

/** Where a backup is given back to. */
export interface RestoreTo {
  /** The cluster, where it is another than the one that it is of. */
  cluster?: string | undefined;
  /** A volume of a workload there, in the place of what it has. */
  volume?: string | undefined;
  /** A claim that is made for it. */
  claim?: { namespace: string; name: string } | undefined;
}

/**
 * Begins to give a backup back. It is read whole first: a damaged one takes nothing's place. What uses the volume ends before, and is
 * begun again afterwards.
 *
 * @throws Refusal
 */
export async function beginRestore(
  ctx: Context,
  m: EntityManager,
  of: string,
  id: number,
  to: RestoreTo,
  who: string,
): Promise<{ id: number; cluster: string }> {
  const row = await backupById(m, id);
  if (row?.charter !== of) throw new Refusal('not-found', `There is no backup ${id} of ${of}.`);
  const name = to.cluster ?? of;
  await m.query('select pg_advisory_xact_lock(727019, hashtext($1))', [name]);
  const { estate } = await loadEstate(m);
  const charter = needIn(estate, 'Charter', name);
  const all = volumesAsked(charter);
  if (to.volume !== undefined && !all.some((v) => v.name === to.volume))
    throw new Refusal('not-found', `No workload of ${name} has a volume ${to.volume}.`, {
      remedy: `There are ${all.map((a) => a.name).join(', ') || 'none'}.`,
    });
  const taken = to.claim && all.find((v) => v.namespace === to.claim?.namespace && v.claim === to.claim.name);
  if (taken)
    throw new Refusal('not-now', `${taken.claim} is the claim of ${taken.name}.`, {
      remedy: 'Choose that volume, or another name for the claim.',
    });
  await nothingUnderWay(m, name);
  if (!(await standing(ctx, estate, name)).length)
    throw new Refusal('not-now', `${name} was not built from here, or is being changed.`, {
      remedy: 'Build it, or wait for the end of its change.',
    });
  const step = stepsFor(await known(m), name);
  const lane = to.volume ?? `${to.claim?.namespace}/${to.claim?.name}`;
  const steps = [step('trial', lane, 'read the backup', [])];
  if (to.volume !== undefined) steps.push(step('halt', lane, 'end what uses it', [`trial/${lane}`]));
  steps.push(step('restore', lane, 'write it back', [(steps.at(-1) as Step).id]));
  if (to.volume !== undefined) steps.push(step('revive', lane, 'start it again', [`restore/${lane}`]));
  const declared = volumesAsked(needIn(estate, 'Charter', of)).find((v) => v.name === row.volume);
  const made = to.claim && {
    namespace: to.claim.namespace,
    claim: to.claim.name,
    // As large as it was asked for; of a volume that nobody asks for any more as large as what is in it, and half as much again.
    sizeGB: declared?.sizeGB ?? Math.max(1, Math.ceil((Number(row.bytes) * 1.5) / 1e9)),
    ...(declared?.class && charter.storage?.some((c) => c.name === declared.class) ? { class: declared.class } : {}),
  };
  const run = await queueRun(
    ctx,
    m,
    {
      kind: 'backup',
      subject: name,
      exclusive: `Backup ${name}`,
      site: charter.site,
      title: `Restore of ${row.volume}${name === of ? '' : ` of ${of}`} of ${row.at.toISOString().slice(0, 16).replace('T', ' ')} to ${lane} of ${name}`,
      steps,
      asked: { what: 'restore', backup: id, ...(made ? { made } : {}) },
    },
    who,
    { secondPerson: true },
  );
  await record(m, who, 'began to restore a volume', name, { backup: id, of, volume: row.volume, to: lane });
  return { id: run, cluster: name };
}

/** Stops it, or goes on with what failed or was stopped of it. */
export async function actOnBackup(ctx: Context, name: string, act: RunAct, who: string): Promise<void> {
  await ctx.db.transaction(async (m) => {
    const run = await last(m, name);
    if (!run) throw new Refusal('not-found', `Nothing of ${name} was backed up from here.`);
    await actOnRun(ctx, m, backupRun, run, act, who);
  });
}
