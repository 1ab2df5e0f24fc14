import { z } from 'zod';
import { FailureCode } from './decisions.ts';
import { limitOf, type Step } from './steps.ts';

/** What happened in a build, as stored: append-only, in order. The state of a build is the fold of these. */
export type BuildEvent =
  | { at: string; kind: 'begun' | 'paused' | 'continued' | 'stopped' | 'resumed' | 'finished' }
  | { at: string; kind: 'retried'; step: string }
  | { at: string; kind: 'started' | 'succeeded'; step: string; text?: string }
  | { at: string; kind: 'progress'; step: string; done: number; of: number; text?: string }
  | { at: string; kind: 'healed'; step: string; text: string }
  | { at: string; kind: 'failed'; step: string; text: string; remedy?: string; code?: FailureCode };

export const StepState = z.enum(['waiting', 'running', 'done', 'failed', 'cut']);
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
});
export type StepStatus = z.infer<typeof StepStatus>;
export const BuildState = z.enum(['queued', 'running', 'paused', 'failed', 'stopped', 'done']);
export type BuildState = z.infer<typeof BuildState>;
export const BuildStatus = z.strictObject({
  state: BuildState,
  begun: z.string().optional(),
  ended: z.string().optional(),
  steps: z.record(z.string(), StepStatus),
});
export type BuildStatus = z.infer<typeof BuildStatus>;

export const newBuild = (steps: readonly Step[]): BuildStatus => ({
  state: 'queued',
  steps: Object.fromEntries(steps.map((s) => [s.id, { state: 'waiting', attempt: 0, healed: [] } satisfies StepStatus])),
});

/** The state after an event. Events that do not fit (a step never planned) are ignored, so that old records stay readable. */
export function fold(status: BuildStatus, event: BuildEvent): BuildStatus {
  if ('step' in event) {
    const step = status.steps[event.step];
    if (!step) return status;
    const next = { ...status, steps: { ...status.steps, [event.step]: { ...step, healed: [...step.healed] } } };
    foldInto(next, event);
    return next;
  }
  const next = { ...status, steps: Object.fromEntries(Object.entries(status.steps).map(([id, s]) => [id, { ...s }])) };
  foldInto(next, event);
  return next;
}

/** The state after all events: the same as one `fold` after the other, and nothing is copied between them. */
export function stateAfter(steps: readonly Step[], events: Iterable<BuildEvent>): BuildStatus {
  const status = newBuild(steps);
  for (const event of events) foldInto(status, event);
  return status;
}

function foldInto(status: BuildStatus, event: BuildEvent): void {
  if (!('step' in event)) {
    foldWhole(status, event);
    return;
  }
  const step = status.steps[event.step];
  if (!step) return;
  switch (event.kind) {
    case 'started':
      step.state = 'running';
      step.attempt += 1;
      step.started = event.at;
      step.ended = undefined;
      step.text = event.text;
      step.remedy = undefined;
      step.code = undefined;
      step.done = undefined;
      step.of = undefined;
      break;
    // A step that failed is tried again while others go on.
    case 'retried':
      if (step.state === 'failed') step.state = 'waiting';
      break;
    case 'progress':
      step.done = event.done;
      step.of = event.of;
      if (event.text) step.text = event.text;
      break;
    case 'healed':
      step.healed.push(event.text);
      break;
    case 'succeeded':
      step.state = 'done';
      step.ended = event.at;
      step.text = event.text ?? step.text;
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

function foldWhole(
  status: BuildStatus,
  event: Extract<BuildEvent, { kind: 'begun' | 'paused' | 'continued' | 'stopped' | 'resumed' | 'finished' }>,
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
    // What ran when the build was cut off or stopped must run again; what is done holds.
    case 'resumed':
      status.state = 'running';
      status.ended = undefined;
      for (const s of all) if (s.state === 'failed' || s.state === 'running' || s.state === 'cut') s.state = 'waiting';
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
      status.state = all.every((s) => s.state === 'done') ? 'done' : 'failed';
      status.ended = event.at;
      break;
  }
}

/**
 * Steps that may start now: waiting, everything before them done, and room at what they share with others. None while
 * the build holds or has ended.
 */
export function ready(steps: readonly Step[], status: BuildStatus): Step[] {
  if (status.state !== 'running') return [];
  const busy = new Map<string, number>();
  const use = (s: Step) => s.shares && busy.set(s.shares, (busy.get(s.shares) ?? 0) + 1);
  for (const s of steps) if (status.steps[s.id]?.state === 'running') use(s);
  return steps.filter((s) => {
    if (status.steps[s.id]?.state !== 'waiting' || !s.after.every((a) => status.steps[a]?.state === 'done')) return false;
    if (s.shares && (busy.get(s.shares) ?? 0) >= limitOf(s.shares)) return false;
    use(s);
    return true;
  });
}

/** Nothing runs and nothing can start: the build has come to its end, good or bad. */
export const ended = (steps: readonly Step[], status: BuildStatus) =>
  !Object.values(status.steps).some((s) => s.state === 'running') && ready(steps, { ...status, state: 'running' }).length === 0;
