import type { DataSource } from 'typeorm';
import type { Dialer } from '@praesidor/protocols/dial';
import type { TransferProcess } from './transfer/transfer-process.ts';
import type { Config } from './config.ts';
import type { ComputeWorker } from './compute/compute-worker.ts';
import type { Bus } from './events/bus.ts';
import type { Queue } from './jobs/queue.ts';

/** What every area is given. Made once at the start; holds no state of the product's own. */
export interface Context {
  config: Config;
  db: DataSource;
  bus: Bus;
  queue: Queue;
  dialer: Dialer;
  /** Computation that would hold up everybody else. */
  compute: ComputeWorker;
  /** Gigabytes on their way, beside everybody else. */
  transfer: TransferProcess;
  log: (message: string, facts?: object) => void;
}
