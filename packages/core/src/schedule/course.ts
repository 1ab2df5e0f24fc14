import type { RunStatus } from './run.ts';
import { type Share, shareKey, type Step } from './steps.ts';

/**
 * The steps of a run as numbers, in the order in which they take their places, for whoever computes many courses of it. Times in milliseconds; places in arrays are
 * those of the steps as they were given.
 */
export interface Course {
  steps: readonly Step[];
  /** Places of steps, each behind those that it waits for. */
  order: readonly number[];
  after: readonly (readonly number[])[];
  /** What each shares, as a place in `room`; −1: nothing. */
  share: readonly number[];
  room: readonly number[];
  /** What is shared, in the order of `room`. */
  shared: readonly Share[];
  /** When it began and ended, of those that have; NaN otherwise. */
  began: readonly number[];
  ended: readonly number[];
  /** When what waits may start at the earliest. */
  clock: number;
}
export interface Walked {
  start: Float64Array;
  end: Float64Array;
  /** The step that each waited for last; −1: none. */
  before: Int32Array;
}

export function courseOf(steps: readonly Step[], status: RunStatus, now: number): Course {
  const place = new Map(steps.map((s, n) => [s.id, n]));
  const shares = new Map(steps.flatMap((s) => (s.shares ? [[shareKey(s.shares), s.shares] as const] : [])));
  const keys = [...shares.keys()];
  const start = status.begun ? Date.parse(status.begun) : now;
  const at = (text: string | undefined) => (text ? Date.parse(text) : Number.NaN);
  return {
    steps,
    order: inOrder(steps, status, place),
    after: steps.map((s) => s.after.flatMap((a) => place.get(a) ?? [])),
    share: steps.map((s) => (s.shares ? keys.indexOf(shareKey(s.shares)) : -1)),
    room: [...shares.values()].map((s) => s.room),
    shared: [...shares.values()],
    began: steps.map((s) => {
      const t = status.steps[s.id];
      // One that was skipped took no time.
      return t && t.state !== 'waiting' ? at(t.started ?? t.ended) : Number.NaN;
    }),
    ended: steps.map((s) => {
      const t = status.steps[s.id];
      return t && t.state !== 'waiting' && t.state !== 'running' ? at(t.ended) : Number.NaN;
    }),
    clock: status.state === 'queued' ? start : now,
  };
}

/**
 * One course: when each step begins and ends, where it takes as long as `took` says. What has ended stays; what runs ends `took` after it began, and not before now;
 * what waits begins when the last that it waits for has ended and there is a place at what it shares.
 */
export function walk(c: Course, took: ArrayLike<number>, room: readonly number[] = c.room): Walked {
  const n = c.steps.length;
  const [start, end, before] = [new Float64Array(n), new Float64Array(n), new Int32Array(n).fill(-1)];
  /** When each place at what is shared comes free, and after which step. */
  const places: { at: number; by: number }[][] = room.map(() => []);
  for (const i of c.order) {
    const began = c.began[i] as number;
    const endedAt = c.ended[i] as number;
    const share = c.share[i] as number;
    let last = -1;
    for (const a of c.after[i] as readonly number[]) if (last < 0 || (end[a] as number) > (end[last] as number)) last = a;
    const hasBegun = !Number.isNaN(began);
    const hasEnded = !Number.isNaN(endedAt);
    if (hasBegun && hasEnded) {
      start[i] = began;
      end[i] = endedAt;
    } else if (hasBegun) {
      start[i] = began;
      end[i] = Math.max(c.clock, began + (took[i] as number));
    } else {
      let from = last < 0 ? c.clock : Math.max(c.clock, end[last] as number);
      const there = share < 0 ? undefined : places[share];
      if (there && there.length >= (room[share] as number)) {
        // All places are taken: it waits for the first that comes free.
        let next = 0;
        for (let p = 1; p < there.length; p++) if ((there[p]?.at as number) < (there[next]?.at as number)) next = p;
        const free = there.splice(next, 1)[0] as { at: number; by: number };
        if (free.at > from) {
          from = free.at;
          last = free.by;
        }
      }
      start[i] = from;
      end[i] = from + (took[i] as number);
    }
    before[i] = last;
    if (share >= 0 && !hasEnded) places[share]?.push({ at: end[i] as number, by: i });
  }
  return { start, end, before };
}

/** The end of a course. */
export const endOf = (w: Walked): number => w.end.reduce((most, e) => Math.max(most, e), 0);

/**
 * Steps so that each comes after what it waits for, and those that run before those that wait: they hold their places at
 * what is shared. The order given is kept otherwise, since it is the order in which steps are started.
 */
function inOrder(steps: readonly Step[], status: RunStatus, place: ReadonlyMap<string, number>): number[] {
  /** How many steps stand before it: what is one step away is started before what is three. */
  const depth = new Map<number, number>();
  const seen = new Set<number>();
  const visit = (n: number): number => {
    const known = depth.get(n);
    if (known !== undefined || seen.has(n)) return known ?? 0;
    seen.add(n);
    let most = 0;
    for (const a of steps[n]?.after ?? []) {
      const b = place.get(a);
      if (b !== undefined) most = Math.max(most, visit(b) + 1);
    }
    depth.set(n, most);
    return most;
  };
  for (let n = 0; n < steps.length; n++) visit(n);
  const waits = (n: number) => (status.steps[steps[n]?.id ?? '']?.state === 'waiting' ? 1 : 0);
  return steps.map((_, n) => n).sort((a, b) => waits(a) - waits(b) || (depth.get(a) ?? 0) - (depth.get(b) ?? 0) || a - b);
}
