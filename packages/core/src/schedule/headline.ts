import type { BuildStatus } from './build.ts';
import type { Step } from './steps.ts';

/** Whether a build is under way: it may still start steps. */
export const underWay = (status: Pick<BuildStatus, 'state'>): boolean => ['queued', 'running', 'paused'].includes(status.state);

/** Steps that failed and were not begun again, in the order of the plan. */
export const failedSteps = (steps: readonly Step[], status: BuildStatus): Step[] =>
  steps.filter((s) => status.steps[s.id]?.state === 'failed');

/** Steps that cannot start before a failed one is tried again, by their identifiers. */
export function behindFailed(steps: readonly Step[], status: BuildStatus): Set<string> {
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
export const stateText: Record<BuildStatus['state'], string> = {
  queued: 'queued',
  running: 'running',
  paused: 'paused',
  failed: 'failed',
  stopped: 'stopped',
  done: 'proved',
};

/**
 * How a build that is under way stands, in one line: what failed comes first, and its end is then only known not to be earlier.
 * @param at the expected end as text @param within half the width of its interval as text
 */
export function headline(steps: readonly Step[], status: BuildStatus, at: string, within: string): string {
  const failed = failedSteps(steps, status);
  const [first] = failed;
  const broke =
    first &&
    (failed.length > 1
      ? `${failed.length} steps failed, first ${first.lane} ${first.title}`
      : `${first.lane} ${first.title} failed`);
  const paused = status.state === 'paused' ? 'paused' : undefined;
  const end = broke || paused ? `ends not before ${at}` : `ends ${at} ± ${within}`;
  return [broke, paused, end].filter(Boolean).join(' · ');
}
