import { passed, type RunStatus } from './run.ts';
import type { Step, StepKind } from './steps.ts';

export const laneStates = ['failed', 'running', 'waiting', 'done'] as const;
export type LaneState = (typeof laneStates)[number];
/** A lane as a row of its own, or many of a group that stand alike as one. */
export type LaneRow =
  | { lane: string; steps: Step[]; within?: string }
  | { fold: string; group: string; state: LaneState; lanes: string[]; open: boolean; kinds: FoldedKind[] };
/** Steps of one kind over the lanes of a row. */
export interface FoldedKind {
  kind: StepKind;
  title: string;
  steps: Step[];
  done: number;
}

/** Of a group with more lanes than this, those that stand alike are one row. */
export const foldedFrom = 13;

/** How a lane stands as a whole: what failed comes first, then what runs. */
export function laneState(steps: readonly Step[], status: RunStatus): LaneState {
  const states = steps.map((s) => status.steps[s.id]?.state);
  if (states.includes('failed')) return 'failed';
  if (states.includes('running')) return 'running';
  return states.every(passed) ? 'done' : 'waiting';
}

/**
 * The rows in which a run is drawn. The lane of the cluster stands last. Lanes of a large group are folded by how they stand, what failed first; those of
 * `open` folds follow it one by one.
 *
 * @param last the lane that stands last @param groupOf what a lane belongs to; undefined: it stands by itself
 */
export function rowsOf(
  steps: readonly Step[],
  status: RunStatus,
  { last, groupOf, open }: { last: string; groupOf: (lane: string) => string | undefined; open: ReadonlySet<string> },
): LaneRow[] {
  const lanes = new Map<string, Step[]>();
  for (const s of steps) lanes.set(s.lane, [...(lanes.get(s.lane) ?? []), s]);
  const groups = new Map<string, string[]>();
  for (const lane of lanes.keys()) {
    const group = groupOf(lane);
    if (group !== undefined) groups.set(group, [...(groups.get(group) ?? []), lane]);
  }
  const out: LaneRow[] = [];
  const drawn = new Set<string>();
  const one = (lane: string, within?: string) =>
    out.push({ lane, steps: lanes.get(lane) ?? [], ...(within === undefined ? {} : { within }) });
  for (const lane of lanes.keys()) {
    const group = groupOf(lane);
    const own = group === undefined ? [] : (groups.get(group) ?? []);
    if (lane === last || (group !== undefined && drawn.has(group))) continue;
    if (group === undefined || own.length < foldedFrom) {
      one(lane);
      continue;
    }
    drawn.add(group);
    const byState = new Map<LaneState, string[]>();
    for (const l of own) {
      const state = laneState(lanes.get(l) ?? [], status);
      byState.set(state, [...(byState.get(state) ?? []), l]);
    }
    for (const state of laneStates) {
      const alike = byState.get(state);
      if (!alike) continue;
      const fold = `${group} ${state}`;
      out.push({
        fold,
        group,
        state,
        lanes: alike,
        open: open.has(fold),
        kinds: kindsOf(
          alike.flatMap((l) => lanes.get(l) ?? []),
          status,
        ),
      });
      if (open.has(fold)) for (const l of alike) one(l, fold);
    }
  }
  if (lanes.has(last)) one(last);
  return out;
}

function kindsOf(steps: readonly Step[], status: RunStatus): FoldedKind[] {
  const out = new Map<string, FoldedKind>();
  for (const s of steps) {
    const key = `${s.kind} ${s.title}`;
    const k = out.get(key) ?? { kind: s.kind, title: s.title, steps: [], done: 0 };
    k.steps.push(s);
    if (passed(status.steps[s.id]?.state)) k.done += 1;
    out.set(key, k);
  }
  return [...out.values()];
}
