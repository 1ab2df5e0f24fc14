import { z } from 'zod';
import { RunState, type RunStatus, type StepState } from './run.ts';
import type { Step } from './steps.ts';

/** Whether a build is under way: it may still start steps. */
export const underWay = (status: Pick<RunStatus, 'state'>): boolean => ['queued', 'running', 'paused'].includes(status.state);

/** Steps that failed and were not begun again, in the order of the plan. */
export const failedSteps = (steps: readonly Step[], status: RunStatus): Step[] =>
  steps.filter((s) => status.steps[s.id]?.state === 'failed');

/** Steps that cannot start before a failed one is tried again, by their identifiers. */
export function behindFailed(steps: readonly Step[], status: RunStatus): Set<string> {
  const stuck = new Set(failedSteps(steps, status).map((s) => s.id));
  // Steps come in an order in which each stands behind what it waits for, but not always: until nothing is added.
  for (let before = -1; before !== stuck.size; ) {
    before = stuck.size;
    for (const s of steps) if (s.after.some((a) => stuck.has(a))) stuck.add(s.id);
  }
  for (const s of failedSteps(steps, status)) stuck.delete(s.id);
  return stuck;
}

/** What people read of a state; `paused` is a build that starts no further step. */
export const stateText: Record<RunStatus['state'], string> = {
  queued: 'queued',
  running: 'running',
  paused: 'paused',
  failed: 'failed',
  stopped: 'stopped',
  done: 'proved',
};

/** A run in a few numbers, for lists. */
export const RunSummary = z.strictObject({
  state: RunState,
  begun: z.string().optional(),
  ended: z.string().optional(),
  /** Steps: how many there are, and how many of them stand so. */
  of: z.number(),
  done: z.number(),
  skipped: z.number(),
  failed: z.number(),
  /** Steps in which something went wrong and came right again by itself. */
  healed: z.number(),
  /** The first that failed, in words. */
  broke: z.string().optional(),
});
export type RunSummary = z.infer<typeof RunSummary>;

export function summaryOf(steps: readonly Step[], status: RunStatus): RunSummary {
  const all = Object.values(status.steps);
  const count = (state: StepState) => all.filter((s) => s.state === state).length;
  const [first] = failedSteps(steps, status);
  return {
    state: status.state,
    ...(status.begun ? { begun: status.begun } : {}),
    ...(status.ended ? { ended: status.ended } : {}),
    of: steps.length,
    done: count('done'),
    skipped: count('skipped'),
    failed: count('failed'),
    healed: all.filter((s) => s.healed.length > 0).length,
    ...(first ? { broke: `${first.lane} ${first.title}` } : {}),
  };
}

/**
 * How a run that is under way stands, in one line: what failed comes first, and its end is then only known not to be earlier.
 * @param at the expected end as text @param between the interval in which it ends in eight cases of ten, as text; empty: it is too short to say
 */
export function headline(run: RunSummary, at: string, between: string): string {
  const broke = run.broke && (run.failed > 1 ? `${run.failed} steps failed, first ${run.broke}` : `${run.broke} failed`);
  const paused = run.state === 'paused' ? 'paused' : undefined;
  const end = broke || paused ? `ends not before ${at}` : `ends about ${at}${between && ` (${between})`}`;
  return [broke, paused, end].filter(Boolean).join(' · ');
}
