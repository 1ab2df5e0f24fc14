import { join } from 'node:path';
import { ComputeWorker } from './compute/compute-worker.ts';
import type { Config } from './config.ts';
import type { Context } from './context.ts';
import { openDatabase } from './db/data-source.ts';
import { Bus } from './events/bus.ts';
import { takeJobs } from './jobs/handlers.ts';
import { Queue } from './jobs/queue.ts';
import { makeDialer } from './outside.ts';
import { TransferProcess } from './transfer/transfer-process.ts';

/** What every process of an installation has, whatever it does; nothing is taken from the queue before that is started. */
export async function openContext(config: Config, log: Context['log']): Promise<{ ctx: Context; close: () => Promise<void> }> {
  const db = await openDatabase(config.databaseUrl);
  const bus = await new Bus(config.databaseUrl, log).open();
  const ctx: Context = {
    config,
    db,
    bus,
    queue: new Queue(config.databaseUrl, config.dataDir, bus, log),
    dialer: makeDialer(config, db),
    compute: new ComputeWorker(),
    transfer: new TransferProcess(join(config.dataDir, 'programs')),
    log,
  };
  takeJobs(ctx);
  return {
    ctx,
    close: async () => {
      await ctx.queue.stop();
      await ctx.dialer.close();
      await ctx.compute.close();
      ctx.transfer.close();
      await bus.close();
      await db.destroy();
    },
  };
}
