import PgBoss from 'pg-boss';
import pg from 'pg';
import type { EntityManager } from 'typeorm';
import { type Bus, whisper } from '../events/bus.ts';

export type JobKind = 'sweep' | 'shipment' | 'build' | 'bills' | 'work';
export type JobHandler = (id: string, signal: AbortSignal) => Promise<void>;
const lanes: Record<JobKind, number> = { sweep: 2, shipment: 3, build: 6, bills: 2, work: 4 };

/**
 * Durable work on PostgreSQL. A worker holds an advisory lock as long as its process lives; a job whose
 * worker has lost it is given to another within seconds, so that a kill at any moment loses no work.
 */
export class Queue {
  private readonly boss: PgBoss;
  private readonly client: pg.Client;
  private readonly worker = 1 + Math.floor(Math.random() * 2_000_000_000);
  private readonly stopping = new AbortController();
  private readonly handlers = new Map<JobKind, JobHandler>();
  private timer: NodeJS.Timeout | undefined;
  private readonly workers = new Map<JobKind, string[]>();
  private off: () => void = () => undefined;

  constructor(
    url: string,
    private readonly bus: Bus,
    private readonly log: (message: string, facts?: object) => void,
  ) {
    this.boss = new PgBoss({ connectionString: url, schema: 'jobs', max: 6, application_name: 'praesidor jobs' });
    this.client = new pg.Client({ connectionString: url });
    this.boss.on('error', (e: Error) => log('queue', { error: e.message }));
    this.client.on('error', (e) => log('queue connection', { error: e.message }));
  }

  handle(kind: JobKind, handler: JobHandler): void {
    this.handlers.set(kind, handler);
  }

  async start(): Promise<void> {
    await this.client.connect();
    await this.client.query('select pg_advisory_lock(727, $1)', [this.worker]);
    await this.boss.start();
    for (const kind of Object.keys(lanes) as JobKind[])
      await this.boss.createQueue(kind, { name: kind, retryLimit: 1000, retryDelay: 0, expireInSeconds: 23 * 3600 } as never);
    await this.adopt();
    for (const [kind, handler] of this.handlers)
      for (let i = 0; i < lanes[kind]; i++)
        this.workers.set(kind, [
          ...(this.workers.get(kind) ?? []),
          await this.boss.work<{ id: string }>(kind, { pollingIntervalSeconds: 0.5, batchSize: 1 }, async ([job]) => {
            if (job) await this.run(kind, job.id, job.data.id, handler);
          }),
        ]);
    // A job just sent is looked for at once, and not at the next round of asking.
    this.off = this.bus.on((e) => {
      if (e.kind === 'Job') for (const id of this.workers.get(e.subject as JobKind) ?? []) this.boss.notifyWorker(id);
    });
    this.timer = setInterval(() => {
      void this.adopt().catch(() => undefined);
    }, 3000);
  }

  private async run(kind: JobKind, job: string, id: string, handler: JobHandler): Promise<void> {
    await this.client.query(
      'insert into running_job values ($1, $2, $3) on conflict (job) do update set worker = excluded.worker',
      [job, kind, this.worker],
    );
    try {
      await handler(id, this.stopping.signal);
    } catch (e) {
      this.log('job failed', { kind, id, error: (e as Error).message });
      throw e;
    } finally {
      if (!this.stopping.signal.aborted)
        await this.client.query('delete from running_job where job = $1', [job]).catch(() => undefined);
    }
    if (this.stopping.signal.aborted) throw new Error('the server is stopping');
  }

  /** Gives back the jobs of workers that are gone. */
  private async adopt(): Promise<void> {
    const { rows } = await this.client.query<{ job: string; queue: string; worker: number }>(
      'select job, queue, worker from running_job where worker <> $1',
      [this.worker],
    );
    for (const r of rows) {
      const {
        rows: [got],
      } = await this.client.query<{ free: boolean }>('select pg_try_advisory_lock(727, $1) as free', [r.worker]);
      if (!got?.free) continue;
      await this.client.query('select pg_advisory_unlock(727, $1)', [r.worker]);
      await this.boss.fail(r.queue, r.job, { reason: 'its worker is gone' }).catch(() => undefined);
      await this.client.query('delete from running_job where job = $1', [r.job]);
    }
  }

  /** Enqueues in the caller's transaction: rolled back with it. With `after`, nobody takes it before that time. */
  async send(m: EntityManager, kind: JobKind, id: string, after?: Date): Promise<void> {
    await this.boss.send(kind, { id }, {
      retryLimit: 1000,
      retryDelay: 0,
      expireInSeconds: 23 * 3600,
      ...(after ? { startAfter: after } : {}),
      db: { executeSql: async (text: string, values: unknown[]) => ({ rows: (await m.query(text, values)) as unknown[] }) },
    } as never);
    await whisper(m, 'Job', kind);
  }

  /** Does work that one process at a time may do; false when another is at it. A killed process is at nothing. */
  async alone(what: number, work: () => Promise<void>): Promise<boolean> {
    const { rows } = await this.client.query<{ mine: boolean }>('select pg_try_advisory_lock(728, $1) as mine', [what]);
    if (!rows[0]?.mine) return false;
    try {
      await work();
      return true;
    } finally {
      await this.client.query('select pg_advisory_unlock(728, $1)', [what]).catch(() => undefined);
    }
  }

  async stop(): Promise<void> {
    clearInterval(this.timer);
    this.off();
    this.stopping.abort();
    await this.boss.stop({ graceful: true, timeout: 5000, wait: true }).catch(() => undefined);
    await this.client.end();
  }
}
