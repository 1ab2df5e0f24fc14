import { z } from 'zod';
import { FailureCode } from './decisions.ts';
import { type Share, shareKey, type Step } from './steps.ts';

/** What happened in long work, as stored: append-only, in order. The state of a run is the fold of these. */
export type RunEvent =
  | { at: string; kind: 'begun' | 'paused' | 'continued' | 'stopped' | 'resumed' | 'finished' }
  /** A step that failed is tried again; one that is done is done once more. */
  | { at: string; kind: 'retried' | 'repeated'; step: string }
  | { at: string; kind: 'skipped'; step: string; reason: string; by: string }
  | { at: string; kind: 'started' | 'succeeded'; step: string; text?: string }
  | { at: string; kind: 'progress'; step: string; done: number; of: number; text?: string }
  | { at: string; kind: 'healed'; step: string; text: string }
  /** What a step has to know when it is run again; without a value: what it need not know any more. */
  | { at: string; kind: 'noted'; step: string; key: string; value?: string }
  /** It cannot go on before a time, and waits for it. */
  | { at: string; kind: 'deferred'; step: string; until: string; text: string }
  | { at: string; kind: 'failed'; step: string; text: string; remedy?: string; code?: FailureCode };

export const StepState = z.enum(['waiting', 'running', 'done', 'skipped', 'failed', 'cut']);
export type StepState = z.infer<typeof StepState>;
export const StepStatus = z.strictObject({
  state: StepState,
  attempt: z.number(),
  started: z.string().optional(),
  ended: z.string().optional(),
  text: z.string().optional(),
  remedy: z.string().optional(),
  code: FailureCode.optional(),
  done: z.number().optional(),
  of: z.number().optional(),
  healed: z.array(z.string()),
  /** How the try before the present one ended, where it failed. */
  failed: z.string().optional(),
  notes: z.record(z.string(), z.string()).optional(),
  /** It waits at least until then. */
  until: z.string().optional(),
  /** Why nobody did it, and who said so. */
  skipped: z.strictObject({ reason: z.string(), by: z.string() }).optional(),
});
export type StepStatus = z.infer<typeof StepStatus>;
export const RunState = z.enum(['queued', 'running', 'paused', 'failed', 'stopped', 'done']);
export type RunState = z.infer<typeof RunState>;
export const RunStatus = z.strictObject({
  state: RunState,
  begun: z.string().optional(),
  ended: z.string().optional(),
  steps: z.record(z.string(), StepStatus),
});
export type RunStatus = z.infer<typeof RunStatus>;

/** States of a run in which it may still start steps. */
export const openStates = ['queued', 'running', 'paused'] as const satisfies readonly RunState[];
/** What comes after a step in such a state may start. */
export const passed = (state: StepState | undefined): boolean => state === 'done' || state === 'skipped';

export const newRun = (steps: readonly Step[]): RunStatus => ({
  state: 'queued',
  steps: Object.fromEntries(steps.map((s) => [s.id, { state: 'waiting', attempt: 0, healed: [] } satisfies StepStatus])),
});

/** The state after an event. Events that do not fit (a step never planned) are ignored, so that old records stay readable. */
export function fold(status: RunStatus, event: RunEvent): RunStatus {
  const next = { ...status, steps: Object.fromEntries(Object.entries(status.steps).map(([id, s]) => [id, copied(s)])) };
  foldInto(next, event);
  return next;
}
const copied = (s: StepStatus): StepStatus => ({ ...s, healed: [...s.healed], ...(s.notes ? { notes: { ...s.notes } } : {}) });

/** The state after all events: the same as one `fold` after the other, and nothing is copied between them. */
export function stateAfter(steps: readonly Step[], events: Iterable<RunEvent>): RunStatus {
  const status = newRun(steps);
  for (const event of events) foldInto(status, event);
  return status;
}

/** As `fold`, into the state itself: for whoever keeps it and follows what happens. */
export function foldInto(status: RunStatus, event: RunEvent): void {
  if (!('step' in event)) {
    foldWhole(status, event);
    return;
  }
  const step = status.steps[event.step];
  if (!step) return;
  switch (event.kind) {
    case 'started':
      if (step.state === 'failed') step.failed = step.text ?? '';
      step.state = 'running';
      step.attempt += 1;
      step.started = event.at;
      step.ended = undefined;
      step.text = event.text;
      step.remedy = undefined;
      step.code = undefined;
      step.done = undefined;
      step.of = undefined;
      step.skipped = undefined;
      step.until = undefined;
      break;
    case 'deferred':
      step.state = 'waiting';
      step.until = event.until;
      step.text = event.text;
      break;
    // Tried again while others go on.
    case 'retried':
      if (step.state === 'failed') again(step);
      break;
    case 'repeated':
      if (step.state !== 'running') again(step);
      break;
    case 'skipped':
      if (step.state === 'running' || step.state === 'done') break;
      step.state = 'skipped';
      step.skipped = { reason: event.reason, by: event.by };
      step.ended = event.at;
      break;
    case 'progress':
      step.done = event.done;
      step.of = event.of;
      if (event.text) step.text = event.text;
      break;
    case 'healed':
      step.healed.push(event.text);
      break;
    case 'noted':
      step.notes ??= {};
      if (event.value === undefined) delete step.notes[event.key];
      else step.notes[event.key] = event.value;
      break;
    case 'succeeded':
      step.state = 'done';
      step.ended = event.at;
      step.text = event.text ?? step.text;
      step.failed = undefined;
      break;
    case 'failed':
      step.state = 'failed';
      step.ended = event.at;
      step.text = event.text;
      step.remedy = event.remedy;
      step.code = event.code;
      break;
  }
}

/** Waits for its next try; that the last one failed is known to it then. */
function again(step: StepStatus): void {
  step.failed = step.state === 'failed' ? (step.text ?? '') : undefined;
  step.state = 'waiting';
  step.until = undefined;
}

function foldWhole(
  status: RunStatus,
  event: Extract<RunEvent, { kind: 'begun' | 'paused' | 'continued' | 'stopped' | 'resumed' | 'finished' }>,
): void {
  const all = Object.values(status.steps);
  switch (event.kind) {
    case 'begun':
      status.state = 'running';
      status.begun ??= event.at;
      break;
    case 'paused':
      status.state = 'paused';
      break;
    case 'continued':
      status.state = 'running';
      break;
    // What ran when the run was cut off or stopped must run again; what is done holds.
    case 'resumed':
      status.state = 'running';
      status.ended = undefined;
      for (const s of all) {
        s.until = undefined;
        if (s.state === 'failed' || s.state === 'running' || s.state === 'cut') again(s);
      }
      break;
    case 'stopped':
      status.state = 'stopped';
      status.ended = event.at;
      for (const s of all)
        if (s.state === 'running') {
          s.state = 'cut';
          s.ended = event.at;
        }
      break;
    case 'finished':
      status.state = all.every((s) => passed(s.state)) ? 'done' : 'failed';
      status.ended = event.at;
      break;
  }
}

/**
 * Steps that may start now: waiting, everything before them done, and room at what they share with others. None while
 * the run is paused or has ended.
 * @param room how many may use something shared at once; as it was planned where nothing else is said
 * @param at the time: steps that wait for a later one are left out; without it they are taken as ready
 */
export function ready(
  steps: readonly Step[],
  status: RunStatus,
  room: (s: Share) => number = (s) => s.room,
  at?: number,
): Step[] {
  if (status.state !== 'running') return [];
  const busy = new Map<string, number>();
  const use = (s: Step) => s.shares && busy.set(shareKey(s.shares), (busy.get(shareKey(s.shares)) ?? 0) + 1);
  for (const s of steps) if (status.steps[s.id]?.state === 'running') use(s);
  return steps.filter((s) => {
    if (status.steps[s.id]?.state !== 'waiting' || !s.after.every((a) => passed(status.steps[a]?.state))) return false;
    if (at !== undefined && (waitsUntil(status, s) ?? at) > at) return false;
    if (s.shares && (busy.get(shareKey(s.shares)) ?? 0) >= room(s.shares)) return false;
    use(s);
    return true;
  });
}

/** The time that a step waits for, in milliseconds; undefined: it waits for none. */
export function waitsUntil(status: RunStatus, step: Pick<Step, 'id'>): number | undefined {
  const s = status.steps[step.id];
  return s?.state === 'waiting' && s.until ? Date.parse(s.until) : undefined;
}

/** Nothing runs and nothing can start, now or later: the run has come to its end, good or bad. */
export const ended = (steps: readonly Step[], status: RunStatus) =>
  !Object.values(status.steps).some((s) => s.state === 'running') && ready(steps, { ...status, state: 'running' }).length === 0;
