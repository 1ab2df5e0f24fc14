import type { ActName } from '@praesidor/core/access';
import type { RunStatus, Step, StepStatus } from '@praesidor/core/schedule';
import type { EntityManager } from 'typeorm';
import type { Context } from '../context.ts';
import type { RunRow } from '../db/tables.ts';
import type { Track } from './track.ts';

/** What a step is given of the engine, whatever it does. */
export interface StepTools {
  step: Step;
  /** How it stood when this try began. */
  before: StepStatus;
  signal: AbortSignal;
  log: (line: string, level?: 'info' | 'warn') => Promise<void>;
  /** Put down a few times a second at most. */
  progress: (done: number, of: number, text?: string) => Promise<void>;
  /** Something went wrong and came right again: shown, without frightening. */
  healed: (text: string) => Promise<void>;
  /** What it has to know when it is run again; without a value: what it need not know any more. */
  note: (key: string, value: string | undefined) => Promise<void>;
}

/** What a step put down at earlier tries, as it reads and writes it. */
export function memoryOf({ before, note }: StepTools): {
  knows: Record<string, string>;
  remember: (key: string, value: string | undefined) => Promise<void>;
} {
  const knows = { ...before.notes };
  return {
    knows,
    remember: async (key, value) => {
      if (value === undefined) delete knows[key];
      else knows[key] = value;
      await note(key, value);
    },
  };
}

/** A run that a process has begun to drive. */
export interface Driven {
  /** Carries out one step, and may be called for it again at any time. @returns what came of it, in a sentence */
  perform: (tools: StepTools) => Promise<string>;
  /** In the transaction in which the run comes to its end. */
  finish?: (m: EntityManager, status: RunStatus) => Promise<void>;
}

/** A kind of long work. A new one is a file, a name in `db/tables.ts` and a line where its area is registered. */
export interface RunKind {
  kind: RunRow['kind'];
  /** What whoever begins it, and goes on with it, must be allowed to do; of some kinds it depends on what was asked for. */
  act: ActName | ((run: RunRow) => ActName);
  /** What one is called in a sentence: "build 3 of plover". */
  called: (run: RunRow) => string;
  /** In the record: "stopped a build". */
  noun: string;
  /** What it is put down under in the record. */
  recorded: (run: RunRow) => { subject: string; facts: Record<string, unknown> };
  open: (ctx: Context, run: RunRow, track: Track) => Promise<Driven>;
  /** In the transaction in which it is resumed, before it is queued. @throws Refusal when it cannot be */
  resumed?: (ctx: Context, m: EntityManager, run: RunRow, status: RunStatus) => Promise<void>;
  /** In the transaction in which it is stopped, or resumed. `why`: it may not go on in the name of whoever began it. */
  closed?: (m: EntityManager, run: RunRow, why?: string) => Promise<void>;
}

export const actOf = (kind: RunKind, run: RunRow): ActName => (typeof kind.act === 'function' ? kind.act(run) : kind.act);
