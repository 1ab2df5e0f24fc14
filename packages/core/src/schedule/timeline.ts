import { quantile } from '../words/quantile.ts';
import { type Course, courseOf, endOf, walk } from './course.ts';
import { tookOf } from './compare.ts';
import { z90 } from './estimate.ts';
import type { RunStatus } from './run.ts';
import type { Limit, Step, StepKind } from './steps.ts';

export interface Bar {
  id: string;
  lane: string;
  start: number;
  end: number;
  deciding: boolean;
}
/** Times in milliseconds since the epoch. */
export interface Timeline {
  bars: Bar[];
  start: number;
  end: number;
  pace: number;
}

/**
 * Where every step stands in time: measured for what has run, expected for the rest. Steps ahead are
 * scaled by the pace of this run: time taken so far over time usually taken for the same steps.
 */
export function timeline(steps: readonly Step[], status: RunStatus, now: number): Timeline {
  const start = status.begun ? Date.parse(status.begun) : now;
  const { pace } = paceOf(steps, status, now);
  const course = courseOf(steps, status, now);
  const w = walk(course, usually(course, status, pace));
  const deciding = new Set<number>();
  let last = w.end.reduce((most, e, n) => (e > (w.end[most] as number) ? n : most), 0);
  while (last >= 0 && last < steps.length && !deciding.has(last)) {
    deciding.add(last);
    last = w.before[last] as number;
  }
  const bars = steps.map((s, n) => ({
    id: s.id,
    lane: s.lane,
    start: w.start[n] as number,
    end: w.end[n] as number,
    deciding: deciding.has(n),
  }));
  return { bars, start, end: Math.max(start, endOf(w)), pace };
}

/** How long each step takes, in milliseconds, as far as it is known by now: a count that it tells goes before what is usual. */
function usually({ steps, began, clock }: Course, status: RunStatus, pace: number): Float64Array {
  return Float64Array.from(steps, (step, n) => {
    const s = status.steps[step.id];
    return s?.state === 'running' && s.done && s.of ? ((clock - (began[n] as number)) * s.of) / s.done : step.p50 * 1000 * pace;
  });
}

/** When a run ends: in the middle of what may come, and between which moments it is in eight cases of ten. In milliseconds since the epoch. */
export interface ExpectedEnd {
  from: number;
  middle: number;
  to: number;
}

/**
 * When a run ends, by so many courses drawn by chance: each step takes as long as its estimate says, spread as its estimate says, and all steps of a course have in
 * common what steps of one run have in common. Of many lanes side by side the slowest decides: that is why the middle lies behind the end of the usual course. The same
 * chance at every call, so that it does not jump while nothing happens.
 */
export function expectedEnd(steps: readonly Step[], status: RunStatus, now: number, courses = 200): ExpectedEnd {
  const course = courseOf(steps, status, now);
  const { pace, unknown } = paceOf(steps, status, now);
  const base = usually(course, status, pace);
  const common = steps.map((s) => s.common ?? 0);
  const own = steps.map((s) => (s.common === undefined ? spreadOf(s) : ownSpread(s)));
  /** What those that run have taken so far: they take longer than that. */
  const soFar = steps.map((_, n) => (Number.isNaN(course.ended[n] as number) ? course.clock - (course.began[n] as number) : 0));
  const chance = new Chance(1);
  const took = new Float64Array(steps.length);
  const ends: number[] = [];
  for (let n = 0; n < courses; n++) {
    const together = chance.normal() * unknown;
    for (let i = 0; i < took.length; i++) {
      const middle = (base[i] as number) * Math.exp((common[i] as number) * together);
      const spread = own[i] as number;
      const least = soFar[i] as number;
      took[i] =
        middle *
        Math.exp(spread * (least > 0 && spread > 0 ? chance.beyond(Math.log(least / middle) / spread) : chance.normal()));
    }
    ends.push(endOf(walk(course, took)));
  }
  const least = status.begun ? Date.parse(status.begun) : now;
  const at = (q: number) => Math.round(Math.max(least, quantile(ends, q)));
  return { from: at(0.1), middle: at(0.5), to: at(0.9) };
}

/** Numbers by chance that are the same at every call (mulberry32), and normally distributed ones of them (Box and Muller 1958). */
class Chance {
  private spare: number | undefined;
  constructor(private seed: number) {}
  /** A normal number that is more than `z`: drawn until one is; far out by its exponential tail (Robert 1995). */
  beyond(z: number): number {
    if (z > 1) return z - Math.log(1 - this.next()) / z;
    for (;;) {
      const n = this.normal();
      if (n > z) return n;
    }
  }
  private next(): number {
    this.seed = (this.seed + 0x6d2b79f5) | 0;
    let t = Math.imul(this.seed ^ (this.seed >>> 15), 1 | this.seed);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  }
  normal(): number {
    if (this.spare !== undefined) {
      const n = this.spare;
      this.spare = undefined;
      return n;
    }
    const r = Math.sqrt(-2 * Math.log(1 - this.next()));
    const a = 2 * Math.PI * this.next();
    this.spare = r * Math.sin(a);
    return r * Math.cos(a);
  }
}

/** Something that would make a run end earlier, and by how many seconds: a kind of step that takes half as long, or twice as many places at something shared. */
export type Faster =
  | { what: 'kind'; kind: StepKind; title: string; saves: number }
  | { what: 'places'; limit: Limit; of: string; room: number; saves: number };

/**
 * What is worth speeding up of what is still ahead: each kind of step half as long, each thing shared with twice as many places, one at a time, in the usual course. What
 * saves less than a fiftieth of the time that is left, or less than a minute, is not worth it. The most first.
 */
export function worthSpeedingUp(steps: readonly Step[], status: RunStatus, now: number): Faster[] {
  const course = courseOf(steps, status, now);
  const base = usually(course, status, paceOf(steps, status, now).pace);
  const ahead = (n: number) => Number.isNaN(course.began[n] as number);
  const end = endOf(walk(course, base));
  const saves = (took: ArrayLike<number>, room = course.room) => Math.round((end - endOf(walk(course, took, room))) / 1000);
  const titles = new Map(steps.filter((_, n) => ahead(n)).map((s) => [s.kind, s.title]));
  const kinds = [...titles].map(
    ([kind, title]): Faster => ({
      what: 'kind',
      kind,
      title,
      saves: saves(base.map((ms, n) => (steps[n]?.kind === kind && ahead(n) ? ms / 2 : ms))),
    }),
  );
  const places = course.shared.map(
    (share, k): Faster => ({
      what: 'places',
      ...share,
      saves: saves(
        base,
        course.room.map((room, n) => (n === k ? room * 2 : room)),
      ),
    }),
  );
  const least = Math.max(60, (end - course.clock) / 1000 / 50);
  return [...kinds, ...places].filter((f) => f.saves >= least).sort((a, b) => b.saves - a.saves);
}

const spreadOf = (s: Step): number => Math.log(Math.max(1, s.p90 / Math.max(s.p50, 1e-3))) / z90;
/** The part of its spread that a step has for itself. */
const ownSpread = (s: Step): number => Math.sqrt(Math.max(1e-4, spreadOf(s) ** 2 - (s.common ?? 0) ** 2));

/**
 * How fast this run is, against what is usual; and how much of what runs have in common is still unknown of this one (1: all of it, as a share of its standard deviation).
 * Without a history of how far runs differ, the pace is the time that finished steps took, divided by their usual time. Steps under half a minute are left out.
 */
function paceOf(steps: readonly Step[], status: RunStatus, now: number): { pace: number; unknown: number } {
  const common = steps.reduce((most, s) => Math.max(most, s.common ?? 0), 0);
  if (common > 0) return paceBy(common, steps, status, now);
  let taken = 0;
  let usual = 0;
  for (const step of steps) {
    const seconds = step.p50 < 30 ? undefined : tookOf(step, status);
    if (seconds === undefined) continue;
    taken += seconds;
    usual += step.p50;
  }
  return { pace: usual > 0 ? Math.max(0.0001, taken / usual) : 1, unknown: 1 };
}

/**
 * By all that is seen: steps that are done say how fast it is, each as sure as it is usually near its median; those that run say that they take longer than they have so far
 * (censored; left out, the quick ones alone would count). The mean of the posterior of the common factor, found in a few turns (expectation and maximisation,
 * Dempster and others 1977).
 */
function paceBy(common: number, steps: readonly Step[], status: RunStatus, now: number): { pace: number; unknown: number } {
  const seen = steps.flatMap((step) => {
    const s = status.steps[step.id];
    const done = tookOf(step, status);
    const seconds = done ?? (s?.state === 'running' && s.started ? (now - Date.parse(s.started)) / 1000 : undefined);
    return seconds === undefined || !(seconds > 0)
      ? []
      : [{ log: Math.log(seconds / Math.max(step.p50, 1e-3)), own: ownSpread(step), done: done !== undefined }];
  });
  let pace = 0;
  const certain = 1 / common ** 2 + seen.reduce((sum, x) => sum + 1 / x.own ** 2, 0);
  for (let turn = 0; turn < 8; turn++)
    pace =
      seen.reduce((sum, { log, own, done }) => {
        const is = done ? log : pace + own * beyond((log - pace) / own);
        return sum + is / own ** 2;
      }, 0) / certain;
  return { pace: Math.exp(pace), unknown: 1 / (common * Math.sqrt(certain)) };
}

/** The mean of a standard normal number of which is known that it is more than `z`: φ(z) / Q(z). */
function beyond(z: number): number {
  if (z > 5) return z + 1 / z;
  // Q by Abramowitz and Stegun 26.2.17, to 7.5e-8.
  const x = Math.abs(z);
  const t = 1 / (1 + 0.2316419 * x);
  const density = Math.exp((-x * x) / 2) / Math.sqrt(2 * Math.PI);
  const tail = density * t * (0.31938153 + t * (-0.356563782 + t * (1.781477937 + t * (-1.821255978 + t * 1.330274429))));
  return density / (z >= 0 ? tail : 1 - tail);
}
