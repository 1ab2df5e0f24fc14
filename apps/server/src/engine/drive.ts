import { setMaxListeners } from 'node:events';
import type { Estate } from '@praesidor/core/model';
import type { EntityManager } from 'typeorm';
import { ended, openStates, ready, type Share, share, shareKey, type Step, waitsUntil } from '@praesidor/core/schedule';
import { whyNot } from '../access/permit.ts';
import { whereOfRun } from '../access/where.ts';
import { record } from '../audit.ts';
import type { Context } from '../context.ts';
import { isAway } from '../db/errors.ts';
import { type RunRow, Runs } from '../db/tables.ts';
import { estateNow } from '../estate/now.ts';
import { type Bus, publishTransient } from '../events/bus.ts';
import { failureOf, NotBefore } from './failure.ts';
import { remember, say } from './history.ts';
import { actOf, type Driven, type RunKind } from './kind.ts';
import { append, keep, logLine, statusOf, topicOf } from './state.ts';
import { Track } from './track.ts';
import { admit, giveBack, takeLease } from './turns.ts';

/** How long nothing is heard before a driver looks by itself, in milliseconds; where a step waits for a place, shorter. */
const looks = { quiet: 5000, waiting: 1000 };

/**
 * Drives one run to its end: starts what is ready, stores what happens. It may be ended at any moment and
 * called again by any process; what ran then runs again, what was done holds.
 */
export async function drive(
  ctx: Context,
  kinds: ReadonlyMap<RunRow['kind'], RunKind>,
  id: number,
  signal: AbortSignal,
): Promise<void> {
  const m = ctx.db.manager;
  const run = await m.findOneBy(Runs, { id });
  const kind = run && kinds.get(run.kind);
  if (!run || !kind || !['queued', 'running', 'paused'].includes(run.state)) return;
  // Places that a driver before this one held: it is gone.
  await giveBack(m, id);
  const why = await whyNot(m, run.runBy ?? run.createdBy, actOf(kind, run), await whereOfRun(m, run));
  if (why) return refuse(ctx, kind, run, why);
  const track = await Track.of(m, run);
  // A version before, or somebody at the database: what happened is right, and the row follows it.
  if (track.status.state !== run.state) await ctx.db.transaction((t) => keep(t, run));
  const driven = await kind.open(ctx, run, track);
  if (!(await ctx.db.transaction((t) => takeOver(t, run)))) return;
  await new Driver(ctx, kind, run, track, driven, signal).go();
}

/** As `drive`, alone: whoever else drove it has let it go before. Who looks on is told when it is let go. */
export async function driveAlone(
  ctx: Context,
  kinds: ReadonlyMap<RunRow['kind'], RunKind>,
  id: number,
  signal: AbortSignal,
): Promise<void> {
  await ctx.queue.driveAlone(id, signal, () => drive(ctx, kinds, id, signal));
  const run = await ctx.db.manager.findOneBy(Runs, { id });
  if (run?.state === 'stopped') await publishTransient(ctx.db.manager, topicOf(run), run.subject);
}

/** Puts down that a process drives a run from now on, as it stands at that moment. @returns false: it has been stopped meanwhile, and stays so */
async function takeOver(m: EntityManager, run: RunRow): Promise<boolean> {
  await m.query('select 1 from run where id = $1 for update', [run.id]);
  const { state, steps } = await statusOf(m, run);
  if (!(openStates as readonly string[]).includes(state)) return false;
  if (state === 'queued') {
    await append(m, run, { kind: 'begun' });
    await say(m, run);
  } else if (Object.values(steps).some((s) => s.state === 'running')) {
    await append(m, run, { kind: 'resumed' });
    if (state === 'paused') await append(m, run, { kind: 'paused' });
  }
  return true;
}

async function refuse(ctx: Context, kind: RunKind, run: RunRow, why: string): Promise<void> {
  await ctx.db.transaction(async (m) => {
    await m.query('select 1 from run where id = $1 for update', [run.id]);
    await kind.closed?.(m, run, why);
    await logLine(m, run, run.steps[0]?.id ?? '', 'fail', why);
    await append(m, run, { kind: 'stopped' });
    const { subject, facts } = kind.recorded(run);
    await record(m, 'Praesidor', `stopped ${kind.noun}`, subject, { ...facts, why });
    await admit(ctx, m, run.site);
  });
}

class Driver {
  private readonly flying = new Map<string, Promise<void>>();
  private readonly halt = new AbortController();
  /** What kept a step's end from being put down: the database is away. The queue drives the run on when it is back. */
  private broke: unknown;

  constructor(
    private readonly ctx: Context,
    private readonly kind: RunKind,
    private readonly run: RunRow,
    private readonly track: Track,
    private readonly driven: Driven,
    private readonly signal: AbortSignal,
  ) {
    // Every step of a large run listens for the stop.
    setMaxListeners(0, this.halt.signal, signal);
    signal.addEventListener('abort', () => this.halt.abort(), { once: true });
    if (signal.aborted) this.halt.abort();
  }

  async go(): Promise<void> {
    const { ctx, run, track } = this;
    const bell = new Bell(ctx.bus, topicOf(run), run.subject, this.halt.signal);
    const shares = run.steps.some((s) => s.shares);
    try {
      for (;;) {
        bell.hush();
        const status = await track.refresh(ctx.db.manager);
        if (this.signal.aborted || this.broke) break;
        if (status.state === 'stopped') {
          this.halt.abort();
          break;
        }
        const waitsFor = new Set<string>();
        // Places are asked for by as many as were planned, or as are allowed by now, where that is more.
        const estate = shares ? await this.estate() : undefined;
        const room = (s: Share) => Math.max(s.room, estate ? share(estate, s.limit, s.of).room : 0);
        for (const step of ready(run.steps, status, room, Date.now())) {
          if (this.flying.has(step.id)) continue;
          if (step.shares && !(await this.hasPlace(step, step.shares))) waitsFor.add(shareKey(step.shares));
          else this.begin(step);
        }
        if (!this.flying.size && !waitsFor.size && status.state === 'running' && ended(run.steps, status)) {
          if (await this.finish()) return;
          continue;
        }
        const now = Date.now();
        const later = run.steps.flatMap((s) => waitsUntil(status, s) ?? []).filter((at) => at > now);
        const pause = Math.min(waitsFor.size ? looks.waiting : looks.quiet, ...later.map((at) => at - now));
        await Promise.race([...this.flying.values(), bell.rung(waitsFor, pause)]);
      }
    } finally {
      bell.close();
      this.halt.abort();
      await Promise.all(this.flying.values());
      await giveBack(ctx.db.manager, run.id).catch(() => undefined);
    }
    if (this.broke) throw this.broke;
  }

  private read: { estate: Promise<Estate>; at: number } | undefined;
  /** The estate as it was at most a moment ago: for limits, which change seldom. */
  private estate(): Promise<Estate> {
    if (!this.read || Date.now() - this.read.at > looks.waiting) this.read = { estate: estateNow(this.ctx.db), at: Date.now() };
    return this.read.estate;
  }

  /** Whether there is room for it at what it shares with the steps of all runs, as the limits are set by now. */
  private async hasPlace(step: Step, { limit, of }: Share): Promise<boolean> {
    const { room } = share(await estateNow(this.ctx.db), limit, of);
    return takeLease(this.ctx.db.manager, this.run.id, step.id, shareKey({ limit, of, room }), room);
  }

  private begin(step: Step): void {
    this.flying.set(
      step.id,
      this.perform(step)
        .catch((e: unknown) => {
          this.broke ??= e;
          this.halt.abort();
        })
        .finally(() => this.flying.delete(step.id)),
    );
  }

  private async perform(step: Step): Promise<void> {
    const { ctx, run } = this;
    const { signal } = this.halt;
    const m = ctx.db.manager;
    const say = (line: string, level: 'info' | 'warn' | 'fail' = 'info') => logLine(m, run, step.id, level, line);
    let progressed = 0;
    let shown = '';
    try {
      if (!(await append(m, run, { kind: 'started', step: step.id }))) {
        if (signal.aborted || (await this.track.refresh(m)).state === 'stopped') return;
        throw new Error(`${run.subject} is not under way by its row, and is by its events`);
      }
      await this.track.refresh(m);
      const before = this.track.status.steps[step.id];
      if (!before) throw new Error(`the run has no step ${step.id}`);
      const text = await this.driven.perform({
        step,
        before: { ...before },
        signal,
        log: say,
        progress: async (done, of, said) => {
          if (signal.aborted) throw new Error('stopped');
          const now = `${done} ${of} ${said}`;
          if (shown === now || (done < of && Date.now() - progressed < 200)) return;
          progressed = Date.now();
          shown = now;
          await append(m, run, { kind: 'progress', step: step.id, done, of, ...(said ? { text: said } : {}) });
        },
        healed: async (said) => void (await append(m, run, { kind: 'healed', step: step.id, text: said })),
        note: async (key, value) =>
          void (await append(m, run, { kind: 'noted', step: step.id, key, ...(value === undefined ? {} : { value }) })),
      });
      if (signal.aborted) return;
      await say(text);
      await append(m, run, { kind: 'succeeded', step: step.id, text });
    } catch (e) {
      if (signal.aborted) return;
      // The step did not break: what it would be put down in is away.
      if (isAway(e)) throw e;
      if (e instanceof NotBefore) {
        await append(m, run, { kind: 'deferred', step: step.id, until: e.until, text: e.message });
        return;
      }
      const { ours, ...failed } = failureOf(e);
      if (ours) ctx.log('step failed', { step: step.id, error: (e as Error).stack });
      await say(failed.text, 'fail').catch(() => undefined);
      await ctx.db.transaction(async (t) => {
        if (!(await append(t, run, { kind: 'failed', step: step.id, ...failed }))) return;
        const { subject, facts } = this.kind.recorded(run);
        const what = { ...facts, step: `${step.lane} ${step.title}`, why: failed.text, remedy: failed.remedy };
        await record(t, 'Praesidor', 'a step failed', subject, what, undefined, undefined, { about: 'failed', site: run.site });
      });
    } finally {
      if (step.shares) await giveBack(m, run.id, step.id).catch(() => undefined);
    }
  }

  /** @returns false: a step was begun again in the meantime, and it goes on */
  private async finish(): Promise<boolean> {
    const { ctx, run } = this;
    return ctx.db.transaction(async (m) => {
      await m.query('select 1 from run where id = $1 for update', [run.id]);
      const now = await Track.of(m, run);
      if (now.status.state !== 'running' || !ended(run.steps, now.status)) return false;
      await append(m, run, { kind: 'finished' });
      const status = await now.refresh(m);
      await remember(m, run, status);
      await this.driven.finish?.(m, status);
      await admit(ctx, m, run.site);
      return true;
    });
  }
}

/** What a driver listens for: what others do to its run, and places that come free. What is heard while it is busy is not lost. */
class Bell {
  private heard = false;
  private freed = new Set<string>();
  private wake: () => void = () => undefined;
  readonly close: () => void;

  constructor(
    bus: Bus,
    topic: string,
    subject: string,
    private readonly signal: AbortSignal,
  ) {
    const off = bus.on((e) => {
      if (e.kind === topic && e.subject === subject) this.heard = true;
      else if (e.kind === 'Lease') this.freed.add(e.subject);
      else return;
      this.wake();
    });
    const ended = () => this.wake();
    signal.addEventListener('abort', ended, { once: true });
    this.close = () => {
      off();
      signal.removeEventListener('abort', ended);
    };
  }
  /** What was heard by now has been seen to. */
  hush(): void {
    this.heard = false;
    this.freed.clear();
  }
  /** Resolves when something is heard that was not seen to, or after `ms`. */
  rung(shares: ReadonlySet<string>, ms: number): Promise<void> {
    return new Promise((done) => {
      const end = () => {
        clearTimeout(timer);
        this.wake = () => undefined;
        done();
      };
      const look = () => {
        if (this.signal.aborted || this.heard || [...this.freed].some((s) => shares.has(s))) end();
      };
      const timer = setTimeout(end, ms);
      this.wake = look;
      look();
    });
  }
}
