import PgBoss from 'pg-boss';
import { setMaxListeners } from 'node:events';
import { setTimeout } from 'node:timers/promises';
import pg from 'pg';
import type { EntityManager } from 'typeorm';
import { HeardClient } from '../db/heard-client.ts';
import { heldOnly } from '../db/held-only.ts';
import { KeptConnection } from '../db/kept-connection.ts';
import { isAway } from '../db/errors.ts';
import { type Bus, publishTransient } from '../events/bus.ts';
import { locks } from './locks.ts';
import { holdFolder } from './one-folder.ts';

export type JobKind = 'sweep' | 'run' | 'bills' | 'onward';
export type JobHandler = (id: string, signal: AbortSignal) => Promise<void>;
/** How many jobs of a kind a process does side by side. A run waits for others most of its time. */
const concurrency: Record<JobKind, number> = { sweep: 2, run: 100, bills: 2, onward: 2 };
/** How often it is looked whether there are jobs, in milliseconds; one just sent is looked for at once. */
const looksEvery = 500;
/** How often it is looked whether a worker is gone, in milliseconds. */
const looksForDead = 1000;
const kinds = Object.keys(concurrency) as JobKind[];

/** A job that fails is tried again after 1 s, 2 s, 4 s … and at least once a minute, without end. */
const retries = { retryLimit: 100_000, retryDelay: 1, retryBackoff: true, expireInSeconds: 23 * 3600 } as const;
const longestWait = 60;
/** How long a statement of the queue is tried while the database is away, in milliseconds. */
const patience = 60_000;
/** How long the end waits for what was under way, in milliseconds. */
const patienceAtTheEnd = 5000;

/** A worker as long as its connection lives: its number is locked over it, and what it does stops when the lock is gone. */
interface Session {
  worker: number;
  lost: AbortController;
}

/**
 * Durable work on PostgreSQL. A worker holds an advisory lock as long as its connection lives; a job whose worker has lost
 * it is given to another within seconds, so that a kill at any moment loses no work. When the database was away, the
 * worker stops what it drives, and takes a lock anew before it goes on.
 */
export class Queue {
  private readonly boss: PgBoss;
  private readonly pool: pg.Pool;
  private readonly connection: KeptConnection;
  private session: Session | undefined;
  private readonly stopping = new AbortController();
  private readonly handlers = new Map<JobKind, JobHandler>();
  private readonly running = new Set<Promise<void>>();
  private timer: NodeJS.Timeout | undefined;
  private readonly lookers: Promise<void>[] = [];

  constructor(
    url: string,
    private readonly folder: string,
    private readonly bus: Bus,
    private readonly log: (message: string, facts?: object) => void,
  ) {
    // Every job and every statement that waits listens for the end.
    setMaxListeners(0, this.stopping.signal);
    this.pool = new pg.Pool({
      connectionString: url,
      max: 6,
      application_name: 'praesidor jobs',
      Client: HeardClient,
      connectionTimeoutMillis: 5000,
      ...heldOnly,
    });
    // An idle connection that breaks is replaced when it is needed.
    this.pool.on('error', (e) => log('queue', { error: e.message }));
    this.boss = new PgBoss({
      schema: 'jobs',
      db: { executeSql: (text: string, values?: unknown[]) => this.ask(text, values) },
    } as never);
    this.boss.on('error', (e: Error) => log('queue', { error: e.message }));
    this.connection = new KeptConnection(url, {
      name: 'queue',
      log,
      onOpen: (client) => this.begin(client),
      onLost: () => {
        this.session?.lost.abort();
        this.session = undefined;
      },
    });
  }

  /** One statement of the queue's own; while the database is away for a moment it is asked again, with growing pauses. */
  private async ask(text: string, values?: unknown[]): Promise<{ rows: unknown[] }> {
    const end = Date.now() + patience;
    for (let pause = 250; ; pause = Math.min(pause * 2, 5000)) {
      try {
        return await this.pool.query(text, values);
      } catch (e) {
        if (!isAway(e) || this.stopping.signal.aborted || Date.now() + pause > end) throw e;
        await setTimeout(pause, undefined, { signal: this.stopping.signal }).catch(() => undefined);
      }
    }
  }

  /** Why no work is done at the moment; undefined: it is. */
  get fault(): string | undefined {
    return this.connection.fault ?? (this.session ? undefined : 'no worker is registered');
  }

  handle(kind: JobKind, handler: JobHandler): void {
    this.handlers.set(kind, handler);
  }

  async start(): Promise<void> {
    await this.connection.open();
    const client = this.connection.client as pg.Client;
    // Servers that start at once on an empty database make its tables one after another.
    await client.query('select pg_advisory_lock($1)', [locks.start]);
    try {
      await this.boss.start();
      for (const kind of kinds) await this.boss.createQueue(kind, { name: kind, ...retries } as never);
    } finally {
      await client.query('select pg_advisory_unlock($1)', [locks.start]);
    }
    await this.requeueDeadWorkersJobs();
    for (const [kind, handler] of this.handlers) this.lookers.push(this.look(kind, handler));
    this.timer = setInterval(() => {
      void this.requeueDeadWorkersJobs().catch(() => undefined);
    }, looksForDead);
  }

  /** Takes jobs of a kind as long as there are places, until the end. */
  private async look(kind: JobKind, handler: JobHandler): Promise<void> {
    const { signal } = this.stopping;
    const own = new Set<Promise<void>>();
    while (!signal.aborted) {
      const free = concurrency[kind] - own.size;
      const jobs =
        free > 0 && this.session
          ? await this.boss.fetch<{ id: string }>(kind, { batchSize: free }).catch((e: Error) => {
              if (!signal.aborted) this.log('queue', { error: e.message });
              return [];
            })
          : [];
      for (const job of jobs) {
        const run = this.carry(kind, job, handler);
        own.add(run);
        this.running.add(run);
        void run.finally(() => {
          own.delete(run);
          this.running.delete(run);
        });
      }
      await Promise.race([
        this.bus.next((e) => e.kind === 'Job' && e.subject === kind, looksEvery, signal),
        ...(own.size >= concurrency[kind] ? own : []),
      ]);
    }
  }

  /** One job, from when it is taken to its end; whatever comes of it is put down. */
  private async carry(kind: JobKind, job: { id: string; data: { id: string } }, handler: JobHandler): Promise<void> {
    try {
      await this.run(kind, job.id, job.data.id, handler);
      await this.boss.complete(kind, job.id);
    } catch (e) {
      // Where that cannot be put down either, it is given back when its worker is seen to be gone.
      await this.boss.fail(kind, job.id, { reason: (e as Error).message }).catch(() => undefined);
    }
  }

  /** Over a new connection: whatever ran under the old lock has ended before a new one is taken. */
  private async begin(client: pg.Client): Promise<void> {
    while (this.running.size) await Promise.all(this.running);
    await holdFolder(client, this.folder);
    const worker = 1 + Math.floor(Math.random() * 2_000_000_000);
    await client.query('select pg_advisory_lock($1, $2)', [locks.worker, worker]);
    this.session = { worker, lost: new AbortController() };
  }

  private async run(kind: JobKind, job: string, id: string, handler: JobHandler): Promise<void> {
    const { session } = this;
    if (!session) throw new Error('this worker has no connection to the database');
    const signal = AbortSignal.any([this.stopping.signal, session.lost.signal]);
    await this.connection.query(
      'insert into running_job values ($1, $2, $3) on conflict (job) do update set worker = excluded.worker',
      [job, kind, session.worker],
    );
    try {
      await handler(id, signal);
    } catch (e) {
      if (!signal.aborted) this.log('job failed', { kind, id, error: (e as Error).message });
      throw e;
    } finally {
      if (!signal.aborted) await this.connection.query('delete from running_job where job = $1', [job]).catch(() => undefined);
    }
    if (signal.aborted) throw new Error(this.stopping.signal.aborted ? 'the server is stopping' : 'the worker lost its lock');
  }

  /** Gives back the jobs of workers that are gone, and those that nobody is at any more; nothing waits longer than a minute for its next try. */
  private async requeueDeadWorkersJobs(): Promise<void> {
    const query = this.connection.query;
    if (!this.session) return;
    const giveBack = async (queue: string, job: string, reason: string) => {
      await this.boss.fail(queue, job, { reason }).catch(() => undefined);
      await query("update jobs.job set start_after = now() where name = $1 and id = $2 and state = 'retry'", [queue, job]);
      await query('delete from running_job where job = $1', [job]);
    };
    const { rows } = await query<{ job: string; queue: string; worker: number }>(
      'select job, queue, worker from running_job where worker <> $1',
      [this.session.worker],
    );
    for (const r of rows) {
      const {
        rows: [got],
      } = await query<{ free: boolean }>('select pg_try_advisory_lock($1, $2) as free', [locks.worker, r.worker]);
      if (!got?.free) continue;
      await query('select pg_advisory_unlock($1, $2)', [locks.worker, r.worker]);
      await giveBack(r.queue, r.job, 'its worker is gone');
    }
    // Taken, and never put down as running or as ended: its worker lost the database in between.
    const { rows: lost } = await query<{ name: string; id: string }>(
      "select name, id from jobs.job j where state = 'active' and name = any($1) and started_on < now() - interval '20 seconds' and not exists (select 1 from running_job r where r.job = j.id::text)",
      [kinds],
    );
    for (const j of lost) await giveBack(j.name, j.id, 'nobody is at it any more');
    await query(
      "update jobs.job set start_after = now() + make_interval(secs => $1) where state = 'retry' and start_after > now() + make_interval(secs => $1)",
      [longestWait],
    );
  }

  /** Enqueues in the caller's transaction: rolled back with it. With `after`, nobody takes it before that time. */
  async send(m: EntityManager, kind: JobKind, id: string, after?: Date): Promise<void> {
    await this.boss.send(kind, { id }, {
      ...retries,
      ...(after ? { startAfter: after } : {}),
      db: { executeSql: async (text: string, values: unknown[]) => ({ rows: (await m.query(text, values)) as unknown[] }) },
    } as never);
    await publishTransient(m, 'Job', kind);
  }

  /** Does work that one process at a time may do; false when another is at it, or nobody can know. A killed process is at nothing. */
  async runExclusive(what: number, work: (signal: AbortSignal) => Promise<void>): Promise<boolean> {
    const { session } = this;
    if (!session) return false;
    const { rows } = await this.connection.query<{ mine: boolean }>('select pg_try_advisory_lock($1, $2) as mine', [
      locks.exclusive,
      what,
    ]);
    if (!rows[0]?.mine) return false;
    try {
      await work(session.lost.signal);
      return true;
    } finally {
      await this.connection.query('select pg_advisory_unlock($1, $2)', [locks.exclusive, what]).catch(() => undefined);
    }
  }

  /** What drives which run in this process: who comes for one that is being let go waits. */
  private readonly driving = new Map<number, Promise<void>>();

  /** Drives a run alone: whoever else drives it, here or elsewhere, has let it go before. A killed process drives nothing. */
  async driveAlone(run: number, signal: AbortSignal, work: () => Promise<void>): Promise<void> {
    const before = this.driving.get(run);
    const now = (async () => {
      await before?.catch(() => undefined);
      while (!signal.aborted) {
        const { rows } = await this.connection.query<{ mine: boolean }>('select pg_try_advisory_lock($1, $2) as mine', [
          locks.driven,
          run,
        ]);
        if (rows[0]?.mine) break;
        await setTimeout(200, undefined, { signal }).catch(() => undefined);
      }
      if (signal.aborted) return;
      try {
        await work();
      } finally {
        await this.connection.query('select pg_advisory_unlock($1, $2)', [locks.driven, run]).catch(() => undefined);
      }
    })();
    this.driving.set(run, now);
    try {
      await now;
    } finally {
      if (this.driving.get(run) === now) this.driving.delete(run);
    }
  }

  async stop(): Promise<void> {
    clearInterval(this.timer);
    this.stopping.abort();
    await Promise.race([Promise.all([...this.lookers, ...this.running]), setTimeout(patienceAtTheEnd)]);
    await this.boss.stop({ graceful: true, timeout: 5000, wait: true }).catch(() => undefined);
    await this.connection.close();
    await this.pool.end().catch(() => undefined);
  }
}
