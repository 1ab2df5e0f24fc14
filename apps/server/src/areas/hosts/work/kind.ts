import type { Limit, StepKind } from '@praesidor/core/schedule';
import type { Context } from '../../../context.ts';

/** What a piece of work is given for one host. It may be run again at any time: what it finds done it leaves. */
export interface WorkOn {
  ctx: Context;
  host: string;
  who: string;
  signal: AbortSignal;
  asked: Record<string, unknown>;
  /** What it put down before, and puts down for when it is run again. */
  knows: Record<string, string>;
  remember: (key: string, value: string | undefined) => Promise<void>;
  /** @throws when somebody stopped the work */
  progress: (percent: number, text: string) => Promise<void>;
}
/** Work on several hosts that takes its time. A new kind is a file and a line in the list of `index.ts`. */
export interface WorkKind {
  kind: StepKind;
  /** What it is called, of hosts: "Firmware of". */
  title: string;
  /** What it uses together with others: as many hosts side by side as a site, or a hypervisor, allows. */
  limit: Limit;
  /** Why it cannot be begun on a host, before anything is touched. */
  refuse: (ctx: Context, host: string, asked: Record<string, unknown>) => Promise<string | undefined>;
  run: (on: WorkOn) => Promise<string>;
}

export { StepFailure as WorkFailure } from '../../../engine/failure.ts';
