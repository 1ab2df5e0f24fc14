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
  if (!('step' in event)) return foldWhole(status, event);
  const before = status.steps[event.step];
  if (!before) return status;
  const step = { ...before };
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
      step.healed = [...step.healed, event.text];
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
  const steps = { ...status.steps, [event.step]: step };
  return { ...status, steps };
}

function foldWhole(
  status: BuildStatus,
  event: Extract<BuildEvent, { kind: 'begun' | 'paused' | 'continued' | 'stopped' | 'resumed' | 'finished' }>,
): BuildStatus {
  switch (event.kind) {
    case 'begun':
      return { ...status, state: 'running', begun: status.begun ?? event.at };
    case 'paused':
      return { ...status, state: 'paused' };
    case 'continued':
      return { ...status, state: 'running' };
    // What ran when the build was cut off or stopped must run again; what is done holds.
    case 'resumed':
      return {
        ...status,
        state: 'running',
        ended: undefined,
        steps: mapSteps(status, (s) =>
          s.state === 'failed' || s.state === 'running' || s.state === 'cut' ? { ...s, state: 'waiting' } : s,
        ),
      };
    case 'stopped':
      return {
        ...status,
        state: 'stopped',
        ended: event.at,
        steps: mapSteps(status, (s) => (s.state === 'running' ? { ...s, state: 'cut', ended: event.at } : s)),
      };
    case 'finished':
      return {
        ...status,
        state: Object.values(status.steps).every((s) => s.state === 'done') ? 'done' : 'failed',
        ended: event.at,
      };
  }
}

const mapSteps = (status: BuildStatus, change: (s: StepStatus) => StepStatus) =>
  Object.fromEntries(Object.entries(status.steps).map(([id, s]) => [id, change(s)]));

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
