import { openStates, type RunStatus, share, type Step } from '@praesidor/core/schedule';
import { type EntityManager, In } from 'typeorm';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { type RunRow, Runs, type Shipment, Shipments } from '../../db/tables.ts';
import { actOnRun } from '../../engine/acts.ts';
import type { RunKind } from '../../engine/kind.ts';
import { known } from '../../engine/history.ts';
import { queueRun } from '../../engine/turns.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { carryOut, noted } from './carry-out.ts';
import type { PhaseName } from './phases/index.ts';

const under = ['packing', 'landing', 'moving', 'waiting'];
const states = { pack: 'packing', land: 'landing', move: 'moving' } as const satisfies Record<PhaseName, Shipment['state']>;

/**
 * Begins what comes next: a shipment by case is packed, and with that done its cases land; one over a link goes
 * straight through. `cases` names those that are to land; all that are here and did not land yet where not given.
 */
export async function start(ctx: Context, label: string, who: string, cases?: number[]): Promise<void> {
  await ctx.db.transaction((m) => startIn(ctx, m, label, who, cases));
}

/** Starts a shipment in the caller's transaction. @throws Refusal */
export async function startIn(ctx: Context, m: EntityManager, label: string, who: string, cases?: number[]): Promise<void> {
  const s = await m.findOne(Shipments, { where: { label }, lock: { mode: 'pessimistic_write' } });
  if (!s) throw new Refusal('not-found', `There is no shipment ${label}.`);
  const asked = cases ? { cases } : {};
  if (under.includes(s.state)) {
    // A case that comes in while another lands is taken along.
    if (s.state === 'landing' && cases && (await queueCases(m, s, cases))) {
      await record(m, who, 'started a shipment', label, asked);
      return;
    }
    throw new Refusal('not-now', `${label} is under way.`);
  }
  if (s.state === 'landed') throw new Refusal('not-now', `${label} has landed.`);
  if (s.unverified && !s.acceptedBy)
    throw new Refusal('not-now', `${label} is not landed: ${s.unverified}.`, {
      remedy: 'Look at what it would change, and accept it by name, or bring one that a trusted installation has signed.',
    });
  if (s.after && s.state === 'queued') {
    const before = await m.findOneBy(Shipments, { label: s.after });
    if (before && before.state !== 'landed')
      throw new Refusal('not-now', `${label} waits for ${s.after}, which is ${before.state}.`, {
        remedy: 'It begins by itself when that has landed.',
      });
  }
  const packs = s.way === 'case' && s.phase !== 'land' && !['packed', 'short'].includes(s.state);
  const phase = s.way !== 'case' ? 'move' : packs ? 'pack' : 'land';
  await begin(ctx, m, s, phase, who, asked);
  if (phase === 'land' && !(await queueCases(m, s, cases)))
    throw new Refusal('not-now', `No case of ${label} is here that did not land yet.`, {
      remedy: 'Bring the next one, or plan a repair for what is damaged.',
    });
  await m.query(
    'update shipment set state = $2, phase = $3, error = null, fault = null, fault_at = null, started_at = null, ended_at = null, resume_at = null, moved_bytes = 0, run_by = $4 where id = $1',
    [s.id, states[phase], packs ? 'pack' : 'land', who],
  );
  await tell(m, 'Shipment', label);
}

/**
 * One run a phase, which is gone on with as long as it has not come to a good end: so whoever carried it before has let go of it. Cases that land later
 * land in a run of their own.
 */
async function begin(
  ctx: Context,
  m: EntityManager,
  s: Shipment,
  phase: PhaseName,
  who: string,
  asked: Record<string, unknown>,
): Promise<void> {
  const [last] = await m.find(Runs, { where: { kind: 'shipment', subject: s.label }, order: { id: 'DESC' }, take: 1 });
  if (last?.steps[0]?.kind === phase && last.state !== 'done') return actOnRun(ctx, m, shipmentRun, last, 'resume', who);
  const { estate } = await loadEstate(m);
  const on = { model: `${s.way} to ${s.target}`, size: s.bytes / 1e9 };
  const { site } = needIn(estate, 'Registry', s.target);
  const step: Step = {
    id: phase,
    lane: s.target,
    kind: phase,
    title: phase,
    after: [],
    shares: share(estate, 'registry', phase === 'pack' ? s.source : s.target),
    ...(await known(m))(phase, on),
    ...on,
  };
  await queueRun(ctx, m, { kind: 'shipment', subject: s.label, site, title: `Shipment ${s.label}`, steps: [step], asked }, who);
  await record(m, who, 'started a shipment', s.label, asked);
}

async function queueCases(m: EntityManager, s: Shipment, cases: number[] | undefined): Promise<boolean> {
  const rows = (await m.query(
    "with u as (update shipment_case set state = 'waiting', bad = '[]' where shipment = $1 and state in ('packed', 'damaged', 'waiting', 'landing') and ($2::int[] is null or number = any($2)) returning number) select number from u",
    [s.id, cases ?? null],
  )) as unknown[];
  return rows.length > 0;
}

/** Stops what is under way of a shipment, or keeps one that waits for another from beginning. */
export async function stop(ctx: Context, label: string, who: string): Promise<void> {
  await ctx.db.transaction(async (m) => {
    const run = await m.findOneBy(Runs, { kind: 'shipment', subject: label, state: In([...openStates]) });
    if (run) return actOnRun(ctx, m, shipmentRun, run, 'stop', who);
    const rows = (await m.query(
      "with u as (update shipment set state = 'stopped', ended_at = now() where label = $1 and state = 'queued' returning id) select id from u",
      [label],
    )) as unknown[];
    if (!rows[0]) throw new Refusal('not-now', `${label} is not under way.`);
    await record(m, who, 'stopped a shipment', label);
    await tell(m, 'Shipment', label);
  });
}

/** A phase of a shipment (packing, landing, moving), as the engine carries it out: one step, gone on with after a kill. */
export const shipmentRun: RunKind = {
  kind: 'shipment',
  act: 'shipments.run',
  noun: 'a shipment',
  called: (run) => `shipment ${run.subject}`,
  recorded: (run) => ({ subject: run.subject, facts: {} }),
  closed: async (m, { subject }, why) => {
    await m.query(
      "update shipment set state = 'stopped', error = $2, ended_at = now(), resume_at = null where label = $1 and state in ('packing', 'landing', 'moving', 'waiting')",
      [subject, why ?? null],
    );
    await m.query(
      "update shipment_case c set state = 'packed' from shipment s where s.id = c.shipment and s.label = $1 and c.state in ('waiting', 'landing')",
      [subject],
    );
  },
  open: async (ctx, run) => ({
    perform: (tools) => carryOut(ctx, run.subject, tools),
    finish: (m, status) => finish(ctx, m, run, status),
  }),
};

/** In the transaction in which a phase comes to its end, good or bad. */
async function finish(ctx: Context, m: EntityManager, run: RunRow, { steps }: RunStatus): Promise<void> {
  const label = run.subject;
  const step = steps[(run.steps[0] as Step).id];
  const done = step?.state === 'done';
  const state = done ? (step.notes?.[noted.state] ?? 'landed') : 'failed';
  await m.query(
    'update shipment set state = $2, error = $3, fault = $4, fault_at = $5, resume_at = null, ended_at = now() where label = $1',
    [
      label,
      state,
      state === 'failed' || state === 'short' ? (step?.text ?? null) : null,
      done ? null : (step?.notes?.[noted.fault] ?? null),
      done ? null : (step?.notes?.[noted.at] ?? null),
    ],
  );
  await tell(m, 'Shipment', label);
  if (!done) return;
  const told = { about: 'ended', site: run.site } as const;
  await record(m, 'Praesidor', ended[state] ?? `a shipment is ${state}`, label, { what: step.text }, undefined, undefined, told);
  if (state === 'landed') await followers(ctx, m, label);
}

const ended: Record<string, string> = {
  packed: 'packed a shipment',
  landed: 'landed a shipment',
  short: 'landed part of a shipment',
};

/** What waited for a shipment begins when it has landed; what keeps one from that is said at it. */
async function followers(ctx: Context, m: EntityManager, label: string): Promise<void> {
  for (const next of await m.findBy(Shipments, { after: label, state: 'queued' }))
    try {
      await startIn(ctx, m, next.label, next.runBy ?? next.createdBy);
    } catch (e) {
      if (!(e instanceof Refusal)) throw e;
      await m.query('update shipment set error = $2 where id = $1', [next.id, e.message]);
    }
}
