import { setMaxListeners } from 'node:events';
import type { EntityManager } from 'typeorm';
import { Closed } from '@praesidor/shipping';
import { NotACase } from '@praesidor/shipping';
import { ProtocolError } from '@praesidor/protocols/dial';
import type { Context } from '../../context.ts';
import { isAway } from '../../db/errors.ts';
import { type Shipment, Shipments } from '../../db/tables.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { whyNot } from '../../access/permit.ts';
import { Refusal } from '../../refusal.ts';
import { Meter } from './meter.ts';
import { phases } from './phases/index.ts';
import { lookAt } from './registries.ts';

const under = ['packing', 'landing', 'moving'];

/**
 * Queues what comes next: a shipment by case is packed, and with that done its cases land; one over a link goes
 * straight through. `cases` names those that are to land; all that are here and did not land yet where not given.
 */
export async function start(ctx: Context, label: string, who: string, cases?: number[]): Promise<void> {
  await ctx.db.transaction((m) => startIn(ctx, m, label, who, cases));
}

async function startIn(ctx: Context, m: EntityManager, label: string, who: string, cases?: number[]): Promise<void> {
  const s = await m.findOne(Shipments, { where: { label }, lock: { mode: 'pessimistic_write' } });
  if (!s) throw new Refusal('not-found', `There is no shipment ${label}.`);
  if (under.includes(s.state)) {
    // A case that comes in while another lands is taken along.
    if (s.state === 'landing' && cases && (await queueCases(m, s, cases))) return;
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
  if (s.way === 'case' && !packs && !(await queueCases(m, s, cases)))
    throw new Refusal('not-now', `No case of ${label} is here that did not land yet.`, {
      remedy: 'Bring the next one, or plan a repair for what is damaged.',
    });
  await m.query(
    'update shipment set state = $2, phase = $3, error = null, fault = null, fault_at = null, started_at = now(), ended_at = null, resume_at = null, moved_bytes = 0, run_by = $4 where id = $1',
    [s.id, packs ? 'packing' : s.way === 'case' ? 'landing' : 'moving', packs ? 'pack' : 'land', who],
  );
  await ctx.queue.send(m, 'shipment', String(s.id));
  await tell(m, 'Shipment', label);
}

async function queueCases(m: EntityManager, s: Shipment, cases: number[] | undefined): Promise<boolean> {
  const rows = (await m.query(
    "with u as (update shipment_case set state = 'waiting', bad = '[]' where shipment = $1 and state in ('packed', 'damaged', 'waiting', 'landing') and ($2::int[] is null or number = any($2)) returning number) select number from u",
    [s.id, cases ?? null],
  )) as unknown[];
  return rows.length > 0;
}

export async function stop(ctx: Context, label: string): Promise<void> {
  await ctx.db.transaction(async (m) => {
    const rows = (await m.query(
      "with u as (update shipment set state = 'stopped', ended_at = now(), resume_at = null where label = $1 and state in ('packing', 'landing', 'moving', 'waiting', 'queued') returning id) select id from u",
      [label],
    )) as unknown[];
    if (!rows[0]) throw new Refusal('not-now', `${label} is not under way.`);
    await m.query(
      "update shipment_case c set state = 'packed' from shipment s where s.id = c.shipment and s.label = $1 and c.state in ('waiting', 'landing')",
      [label],
    );
    await tell(m, 'Shipment', label);
  });
}

/** What this process is at, by shipment: one that is stopped and started again waits until the first has let go. */
const atWork = new Map<number, Promise<void>>();

/** Carries out the phase a shipment is in. Called again after a kill, it goes on with what is still to do. */
export function run(ctx: Context, id: number, signal: AbortSignal): Promise<void> {
  const now = (atWork.get(id) ?? Promise.resolve()).catch(() => undefined).then(() => carryOut(ctx, id, signal));
  const kept = now
    .catch(() => undefined)
    .finally(() => {
      if (atWork.get(id) === kept) atWork.delete(id);
    });
  atWork.set(id, kept);
  return now;
}

async function carryOut(ctx: Context, id: number, signal: AbortSignal): Promise<void> {
  // The clock woke it: what waited for its hours moves on.
  await ctx.db.manager.query(
    "update shipment set state = 'moving', resume_at = null where id = $1 and state = 'waiting' and resume_at <= now() + interval '1 second'",
    [id],
  );
  const s = await ctx.db.manager.findOneBy(Shipments, { id });
  if (!s || !under.includes(s.state)) return;
  const why = await whyNot(ctx.db.manager, s.runBy ?? s.createdBy, 'shipments.run');
  if (why) {
    await ctx.db.manager.query("update shipment set state = 'stopped', error = $2, ended_at = now() where id = $1", [id, why]);
    await tell(ctx.db.manager, 'Shipment', s.label);
    return;
  }
  const { estate } = await loadEstate(ctx.db);
  const halt = new AbortController();
  // Every request under way hears of it.
  setMaxListeners(0, halt.signal);
  signal.addEventListener('abort', () => halt.abort(), { once: true });
  setMaxListeners(0, signal);
  const off = ctx.bus.on((e) => {
    if (e.kind === 'Shipment' && e.subject === s.label)
      void ctx.db.manager.findOneBy(Shipments, { id }).then(
        (x) => {
          // Stopped, or stopped and started again: then somebody else is at it.
          if (!x || x.state === 'stopped' || begun(x) !== begun(s)) halt.abort();
        },
        // The database is away: what writes to it next notices.
        () => undefined,
      );
  });
  const target = needIn(estate, 'Registry', s.target);
  const meter = new Meter(ctx, s);
  const settle = (
    state: string,
    error: string | null,
    resumeAt: string | null = null,
    of: { fault?: string; at?: string | undefined } = {},
  ) =>
    ctx.db.transaction(async (m) => {
      await m.query(
        "update shipment set state = $2, error = $3, resume_at = $4, fault = $6, fault_at = $7, ended_at = now() where id = $1 and state in ('packing', 'landing', 'moving') and date_trunc('milliseconds', started_at) = $5",
        [id, state, error, resumeAt, s.startedAt, of.fault ?? null, of.at ?? null],
      );
      if (resumeAt) await ctx.queue.send(m, 'shipment', String(id), new Date(resumeAt));
      await tell(m, 'Shipment', s.label);
    });
  try {
    const phase = phases[s.state as keyof typeof phases];
    const end = await phase({ ctx, estate, s, target, meter, signal: halt.signal });
    await meter.write();
    // Seen first, then said: who reads that it landed finds the findings settled.
    if (s.state !== 'packing') await lookAt(ctx, s.target);
    await settle(end.state, end.error ?? null);
    if (end.state === 'landed') await followers(ctx, s.label);
  } catch (e) {
    if (signal.aborted || isAway(e)) throw e;
    await meter.write().catch(() => undefined);
    if (halt.signal.aborted) return;
    if (e instanceof Closed) return settle('waiting', null, e.until);
    if (e instanceof NotACase || e instanceof RangeError || e instanceof Refusal) return settle('failed', e.message);
    const told = ProtocolError.from(e, target.endpoint);
    const at = estate.registries.find((r) => [s.source, s.target].includes(r.name) && r.endpoint === told.where);
    await settle('failed', told.message, null, { fault: told.fault, at: at?.name });
  } finally {
    off();
  }
}

/** Which start a shipment is in. */
const begun = (s: Pick<Shipment, 'startedAt'>) => s.startedAt && new Date(s.startedAt).getTime();

/** What waited for a shipment begins when it has landed. */
async function followers(ctx: Context, label: string): Promise<void> {
  for (const next of await ctx.db.manager.findBy(Shipments, { after: label, state: 'queued' }))
    await start(ctx, next.label, next.runBy ?? next.createdBy);
}
