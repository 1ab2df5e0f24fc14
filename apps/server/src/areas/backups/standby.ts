import { standbyVolumes, type StandbyPair } from '@praesidor/core/backup';
import type { Charter, Estate, Standby } from '@praesidor/core/model';
import type { Step } from '@praesidor/core/schedule';
import type { EntityManager } from 'typeorm';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { known } from '../../engine/history.ts';
import { queueRun } from '../../engine/turns.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { estateNow } from '../../estate/now.ts';
import { Refusal } from '../../refusal.ts';
import { standing } from '../builds/proofs.ts';
import { type Asked, overwrites, type Place, type Purpose } from './asked.ts';
import { answering } from './restore.ts';
import { type BackupRow, newestBackup } from './rows.ts';
import { nothingUnderWay, stepsFor } from './service.ts';
import { standbyState } from './standby-rows.ts';

/** What is done to a standby copy by somebody. */
export interface Turn {
  what: 'activate' | 'give-back';
  workload: string;
  /** Activated though the other cluster does not answer: what was written there since the newest backup is lost. */
  silent?: boolean | undefined;
}

interface Found {
  estate: Estate;
  here: Charter;
  there: Charter;
  standby: Standby;
  pairs: StandbyPair[];
}
/** @throws Refusal where there is no such copy, or it has no volumes */
function found(estate: Estate, charter: string, workload: string): Found {
  const here = needIn(estate, 'Charter', charter);
  const standby = here.standbys?.find((s) => s.workload === workload);
  if (!standby)
    throw new Refusal('not-found', `${charter} keeps no standby copy ${workload}.`, {
      remedy: `It keeps ${here.standbys?.map((s) => s.workload).join(', ') || 'none'}.`,
    });
  const there = needIn(estate, 'Charter', standby.cluster);
  const { pairs, unmatched } = standbyVolumes(here, standby, there);
  if (!pairs.length || unmatched.length)
    throw new Refusal('not-now', `${workload} of ${charter} does not have the volumes of ${standby.of} of ${there.name}.`, {
      remedy: 'Give both the same volumes in their charters.',
    });
  return { estate, here, there, standby, pairs };
}

/** Steps as they are added, each after the one before, with the volumes that they are about. */
class Plan {
  readonly steps: Step[] = [];
  readonly places: NonNullable<Asked['places']> = {};
  readonly gives: NonNullable<Asked['gives']> = {};
  private readonly step: ReturnType<typeof stepsFor>;
  constructor(
    times: Parameters<typeof stepsFor>[0],
    private readonly subject: string,
  ) {
    this.step = stepsFor(times, subject);
  }
  add(kind: Step['kind'], at: Place, title: string, gives?: Place & { backup?: number }): void {
    const lane = at.charter === this.subject ? at.volume : `${at.charter} ${at.volume}`;
    const step = this.step(
      kind,
      lane,
      title,
      this.steps.slice(-1).map((s) => s.id),
    );
    this.steps.push(step);
    if (at.charter !== this.subject) this.places[step.id] = at;
    if (gives) this.gives[step.id] = gives;
  }
}

async function queue(
  ctx: Context,
  m: EntityManager,
  f: Found,
  what: Purpose,
  title: string,
  plan: Plan,
  who: string,
): Promise<number> {
  const asked: Asked = {
    what,
    places: plan.places,
    gives: plan.gives,
    standby: { workload: f.standby.workload, cluster: f.there.name },
  };
  return queueRun(
    ctx,
    m,
    {
      kind: 'backup',
      subject: f.here.name,
      exclusive: `Backup ${f.here.name}`,
      site: f.here.site,
      title,
      steps: plan.steps,
      asked,
    },
    who,
    { secondPerson: overwrites.has(what) },
  );
}

/** Nobody else does anything to volumes of either cluster meanwhile. To be called in a transaction. @throws Refusal */
async function alone(m: EntityManager, names: readonly string[]): Promise<void> {
  for (const name of [...names].sort()) await m.query('select pg_advisory_xact_lock(727019, hashtext($1))', [name]);
  for (const name of names) await nothingUnderWay(m, name);
}

/** Whether an activation of it was broken off before it began here. */
async function brokenOff(m: EntityManager, charter: string, workload: string): Promise<boolean> {
  const [last] = (await m.query(
    `select asked->>'what' as what, state from run where kind = 'backup' and subject = $1 and asked->'standby'->>'workload' = $2
       and asked->>'what' in ('activate', 'give-back') order by id desc limit 1`,
    [charter, workload],
  )) as { what: string; state: string }[];
  return last?.what === 'activate' && (last.state === 'failed' || last.state === 'stopped');
}

/**
 * Activates a standby copy, or gives back what was activated. Where both clusters answer nothing is lost: what runs at the one is ended, backed up, and
 * begins at the other with that. Where the other does not answer, the copy begins with what it holds, and what is of it is ended when it answers again.
 *
 * @throws Refusal
 */
export async function beginTurn(ctx: Context, m: EntityManager, charter: string, turn: Turn, who: string): Promise<number> {
  const { estate } = await loadEstate(m);
  const f = found(estate, charter, turn.workload);
  const { here, there, standby, pairs } = f;
  await alone(m, [here.name, there.name]);
  const state = await standbyState(m, here.name, standby.workload);
  const active = state?.state === 'active';
  // One that was broken off has ended what runs there, and nothing runs here yet.
  const broken = !active && turn.what === 'give-back' && (await brokenOff(m, here.name, standby.workload));
  if (!broken && active === (turn.what === 'activate'))
    throw new Refusal('not-now', active ? `${standby.workload} is active.` : `${standby.workload} was not activated.`);
  const [other] = (await m.query(
    "select charter, workload from standby where state = 'active' and not (charter = $1 and workload = $2)",
    [here.name, standby.workload],
  )) as { charter: string; workload: string }[];
  const same = estate.charters.find((c) => c.name === other?.charter)?.standbys?.find((s) => s.workload === other?.workload);
  if (!active && same?.cluster === there.name && same.of === standby.of)
    throw new Refusal('not-now', `${other?.workload} of ${other?.charter} is active: it is a copy of the same.`, {
      remedy: 'Give that one back first.',
    });
  const stands = new Set((await standing(ctx, estate)).map((b) => b.charter));
  for (const c of turn.silent ? [here] : broken ? [there] : [here, there])
    if (!stands.has(c.name))
      throw new Refusal('not-now', `${c.name} does not stand, or is being changed.`, {
        remedy: 'Wait for the end of its change.',
      });
  if (!active && turn.silent && !pairs.every((p) => state?.holds[p.here.name]))
    throw new Refusal('not-now', `${standby.workload} holds nothing yet.`, { remedy: 'Restore a backup to it.' });
  const plan = new Plan(await known(m), here.name);
  const at = (side: 'here' | 'there', p: StandbyPair): Place => ({
    charter: (side === 'here' ? here : there).name,
    volume: p[side].name,
  });
  const [from, to] = active ? (['here', 'there'] as const) : (['there', 'here'] as const);
  const name = (side: 'here' | 'there') => (side === 'here' ? here : there).name;
  if (broken && pairs[0]) {
    plan.add('revive', at('there', pairs[0]), `start it at ${there.name} again`);
  } else if (turn.silent && pairs[0]) plan.add('silent', at('there', pairs[0]), `see that ${there.name} does not answer`);
  else {
    for (const p of pairs) plan.add('halt', at(from, p), `end what uses it at ${name(from)}`);
    for (const p of pairs) plan.add('copy', at(from, p), 'back up what it has');
    for (const p of pairs) plan.add('halt', at(to, p), `end what uses it at ${name(to)}`);
    for (const p of pairs) plan.add('restore', at(to, p), `write it at ${name(to)}`, at(from, p));
  }
  if (pairs[0] && !broken) plan.add('revive', at(to, pairs[0]), `start it at ${name(to)}`);
  const what = turn.what === 'give-back' ? 'Giving back' : 'Activation of';
  const id = await queue(
    ctx,
    m,
    f,
    turn.what,
    `${what} ${standby.workload} of ${here.name}, a copy of ${standby.of} of ${there.name}`,
    plan,
    who,
  );
  await record(
    m,
    who,
    turn.what === 'give-back' ? 'began to give a standby copy back' : 'began to activate a standby copy',
    here.name,
    {
      workload: standby.workload,
      of: `${there.name} ${standby.of}`,
      ...(turn.silent ? { unreachable: true } : {}),
    },
  );
  return id;
}

/** A try that failed is made again after so long. */
const againMs = 15 * 60_000;

/**
 * What standby copies wait for: those that follow take the newest backups, and of one that was activated while its cluster did not answer, what runs there is ended as
 * soon as it does. Once for each, whoever of several servers is first.
 */
export async function standbysDue(ctx: Context, now = Date.now()): Promise<void> {
  const estate = await estateNow(ctx.db);
  if (!estate.charters.some((c) => c.standbys?.length)) return;
  const stands = new Set((await standing(ctx, estate)).map((b) => b.charter));
  for (const c of estate.charters)
    for (const s of c.standbys ?? []) {
      if (!stands.has(c.name)) continue;
      await (async () => {
        const state = await standbyState(ctx.db.manager, c.name, s.workload);
        if (state?.state === 'active') {
          if (!state.ended && (await answering(ctx, estate, s.cluster)))
            await ctx.db.transaction((m) => beginEnd(ctx, m, c.name, s.workload));
        } else if ((await behindOf(ctx.db.manager, found(estate, c.name, s.workload), now)).length)
          await ctx.db.transaction((m) => beginFollow(ctx, m, c.name, s.workload, now));
      })().catch((e: Error) => ctx.log('a standby copy waits', { charter: c.name, workload: s.workload, why: e.message }));
    }
}

/** What is of a copy that was activated ends. @throws Refusal */
async function beginEnd(ctx: Context, m: EntityManager, charter: string, workload: string): Promise<void> {
  const { estate } = await loadEstate(m);
  const f = found(estate, charter, workload);
  await alone(m, [f.here.name, f.there.name]);
  const state = await standbyState(m, charter, workload);
  if (state?.state !== 'active' || state.ended) return;
  const plan = new Plan(await known(m), charter);
  for (const p of f.pairs)
    plan.add('halt', { charter: f.there.name, volume: p.there.name }, `end what uses it at ${f.there.name}`);
  await queue(
    ctx,
    m,
    f,
    'end',
    `End of ${f.standby.of} of ${f.there.name}: ${workload} of ${charter} is active`,
    plan,
    'Praesidor',
  );
  await record(m, 'Praesidor', 'began to end what a standby copy took the place of', charter, {
    workload,
    of: `${f.there.name} ${f.standby.of}`,
  });
}

/** Volumes that do not hold the newest backup, with that one: none while one of them has no backup, or a try has just failed. */
async function behindOf(m: EntityManager, f: Found, now: number): Promise<[StandbyPair, BackupRow][]> {
  const state = await standbyState(m, f.here.name, f.standby.workload);
  if (state?.state === 'active') return [];
  if (state?.fault && state.looked && now - state.looked.getTime() < againMs) return [];
  const newest: [StandbyPair, BackupRow][] = [];
  for (const p of f.pairs) {
    const row = await newestBackup(m, f.there.name, p.there.name);
    if (!row) return [];
    newest.push([p, row]);
  }
  return newest.filter(
    ([p, row]) => !state?.holds[p.here.name] || row.at.getTime() > Date.parse(state.holds[p.here.name] as string),
  );
}

/** Takes the newest backups, where they are newer than what it holds. @throws Refusal */
async function beginFollow(ctx: Context, m: EntityManager, charter: string, workload: string, now: number): Promise<void> {
  const { estate } = await loadEstate(m);
  const f = found(estate, charter, workload);
  // Only this cluster is written to: backups of the other one go on meanwhile.
  await alone(m, [charter]);
  const behind = await behindOf(m, f, now);
  if (!behind.length) return;
  await m.query(
    'insert into standby (charter, workload, looked) values ($1, $2, $3) on conflict (charter, workload) do update set looked = $3',
    [charter, workload, new Date(now)],
  );
  const plan = new Plan(await known(m), charter);
  for (const [p, row] of behind) {
    const at = { charter, volume: p.here.name };
    const gives = { charter: f.there.name, volume: p.there.name, backup: row.id };
    plan.add('trial', at, 'read the backup', gives);
    plan.add('halt', at, 'see that nothing uses it');
    plan.add('restore', at, 'write it', gives);
  }
  await queue(
    ctx,
    m,
    f,
    'follow',
    `Standby copy ${workload} of ${charter}: the newest backup of ${f.standby.of} of ${f.there.name}`,
    plan,
    'Praesidor',
  );
}
