import type { DataSource } from 'typeorm';
import type { Dialer } from '@praesidor/protocols/dial';
import type { Carrier } from './carrier/carrier.ts';
import type { Config } from './config.ts';
import type { Heavy } from './heavy/heavy.ts';
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
  heavy: Heavy;
  /** Gigabytes on their way, beside everybody else. */
  carrier: Carrier;
  log: (message: string, facts?: object) => void;
}
