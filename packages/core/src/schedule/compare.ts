import { z } from 'zod';
import { quantile } from '../words/quantile.ts';
import type { RunStatus } from './run.ts';
import { type Step, StepKind } from './steps.ts';

/** How long steps of one kind took in one run, in seconds. */
export const KindTimes = z.strictObject({ kind: StepKind, count: z.number(), median: z.number(), most: z.number() });
export type KindTimes = z.infer<typeof KindTimes>;
/** A step in two runs, in seconds; what one of them has not is undefined. */
export interface StepCompared {
  lane: string;
  title: string;
  kind: StepKind;
  one: number | undefined;
  other: number | undefined;
}
export interface KindCompared {
  kind: StepKind;
  title: string;
  one: KindTimes | undefined;
  other: KindTimes | undefined;
  /** How many times as long it took in the first: above 1 it was slower there. */
  ratio: number | undefined;
}
interface Ran {
  steps: readonly Step[];
  status: RunStatus;
}

/** How long a step took at its last try, in seconds; undefined: it has not come to a good end. */
export function tookOf(step: Step, status: RunStatus): number | undefined {
  const s = status.steps[step.id];
  return s?.state === 'done' && s.started && s.ended ? (Date.parse(s.ended) - Date.parse(s.started)) / 1000 : undefined;
}

/** Of each kind of step that came to a good end: how many there were, their median and the longest. */
export function timesOf({ steps, status }: Ran): KindTimes[] {
  const by = new Map<StepKind, number[]>();
  for (const s of steps) {
    const t = tookOf(s, status);
    if (t !== undefined) by.set(s.kind, [...(by.get(s.kind) ?? []), t]);
  }
  return [...by].map(([kind, list]) => ({ kind, count: list.length, median: quantile(list, 0.5), most: Math.max(...list) }));
}

/** Two runs side by side: by kind of step, the one that costs most more first; and step by step, matched by what they are and whose. */
export function compared(one: Ran, other: Ran): { kinds: KindCompared[]; steps: StepCompared[] } {
  const [a, b] = [one, other].map((r) => new Map(timesOf(r).map((t) => [t.kind, t])));
  const titles = new Map([...other.steps, ...one.steps].map((s) => [s.kind, s.title]));
  const kinds = [...titles].map(([kind, title]): KindCompared => {
    const [x, y] = [a?.get(kind), b?.get(kind)];
    return { kind, title, one: x, other: y, ratio: x && y && y.median > 0 ? x.median / y.median : undefined };
  });
  const more = (k: KindCompared) => (k.one && k.other ? k.one.median - k.other.median : Number.NEGATIVE_INFINITY);
  const key = (s: Step) => JSON.stringify([s.kind, s.host ?? s.title]);
  const others = new Map(other.steps.map((s) => [key(s), s]));
  const mine = new Set(one.steps.map(key));
  const steps = [
    ...one.steps.map((s) => {
      const o = others.get(key(s));
      return { s, one: tookOf(s, one.status), other: o && tookOf(o, other.status) };
    }),
    ...other.steps.filter((s) => !mine.has(key(s))).map((s) => ({ s, one: undefined, other: tookOf(s, other.status) })),
  ];
  return {
    kinds: kinds.sort((p, q) => more(q) - more(p)),
    steps: steps.map(({ s, one: x, other: y }) => ({ lane: s.lane, title: s.title, kind: s.kind, one: x, other: y })),
  };
}

/**
 * Since when something takes longer: the moment from which on everything takes at least `by` times as long as the median before it; of several the one where
 * the quickest after it is the most times as long. At least two are needed on each side.
 *
 * @param history in the order of time, seconds @returns its place in the history; undefined: it has not become slower
 */
export function slowerSince(history: readonly number[], by = 1.25): number | undefined {
  let best: { at: number; ratio: number } | undefined;
  for (let at = 2; at <= history.length - 2; at++) {
    const before = quantile(history.slice(0, at), 0.5);
    // The quickest of those after it: one that was as quick as before says that it has not changed there.
    const ratio = Math.min(...history.slice(at)) / before;
    if (before > 0 && ratio >= by && ratio > (best?.ratio ?? 0)) best = { at, ratio };
  }
  return best?.at;
}
