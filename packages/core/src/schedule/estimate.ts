import { quantile } from '../words/quantile.ts';
import { type StepKind, usual } from './steps.ts';

/** A step that came to a good end here: what it was, on which model of machine, how much it had to do, and how long it took, in seconds. */
export interface Took {
  kind: StepKind;
  model: string;
  size: number;
  seconds: number;
  /** Steps of one run have something in common: the hour, the link, who looked after it. */
  run: number;
}
/** Median and 90 %, in seconds. `common`: the part of the spread (standard deviation of the logarithm) that all steps of a run have in common. */
export interface Estimate {
  p50: number;
  p90: number;
  common?: number;
}
/** How long a kind of step takes, on a model of machine and with so much to do, as far as these are known. */
export type Known = (kind: StepKind, on?: { model?: string | undefined; size?: number | undefined }) => Estimate;

/** What machines are taken for alike by: maker and model, or the mould of a guest. */
export const modelOf = ({
  guest,
  facts,
}: {
  guest?: { mould: string } | undefined;
  facts?: { maker: string; model: string } | undefined;
}): string => (guest ? `mould ${guest.mould}` : facts ? `${facts.maker} ${facts.model}` : '');

/** Before an installation has steps of its own to go by. */
export const nothingKnown: Known = (kind) => ({ p50: usual[kind][0], p90: usual[kind][1] });

/** The 90 % point of a normal distribution, in standard deviations. */
export const z90 = 1.2816;
/** Steps of a kind that there must be before they are gone by; and those from which a slope over their size is read. */
const enough = { kind: 3, slope: 8 };
/** So many steps of a model weigh as much as what is known of all models. */
const modelWeight = 2;
const sum = (list: readonly number[]) => list.reduce((a, b) => a + b, 0);
const mean = (list: readonly number[]) => sum(list) / list.length;

interface Learned {
  level: number;
  slope: number;
  models: Map<string, number>;
  spread: number;
  /** How many it was learned from. */
  of: number;
}

/**
 * What an installation's own history says of how long steps take: durations are taken as lognormal; a kind has a level, a slope over the size of what there is to do
 * (between 0, it does not matter, and 1, twice as much takes twice as long), and a part for each model of machine, the more of it the more steps it was seen in.
 * Kinds with fewer than three steps stay as usual.
 */
export function learned(history: readonly Took[]): Known {
  const kinds = new Map<StepKind, Took[]>();
  for (const t of history) if (t.seconds > 0) add(kinds, t.kind, t);
  const known = new Map<StepKind, Learned>();
  /** What is left of each step when its kind, size and model are taken off, by run. */
  const left = new Map<number, number[]>();
  for (const [kind, list] of kinds) {
    if (list.length < enough.kind) continue;
    const { rest, ...l } = learn(list);
    known.set(kind, l);
    for (const [n, t] of list.entries()) add(left, t.run, rest[n] as number);
  }
  const common = commonSpread([...left.values()]);
  return (kind, on = {}) => {
    const l = known.get(kind);
    if (!l) return nothingKnown(kind, on);
    const at = l.level + l.slope * logSize(on.size) + (l.models.get(on.model ?? '') ?? 0);
    // What was learned from few may be off itself.
    const spread = Math.max(l.spread * Math.sqrt(1 + 1 / l.of), 0.02);
    return {
      p50: Math.max(0.1, Math.exp(at)),
      p90: Math.max(0.2, Math.exp(at + z90 * spread)),
      ...(common === undefined ? {} : { common: Math.min(common, spread) }),
    };
  };
}

/** Puts something into the list of a key. */
function add<K, V>(lists: Map<K, V[]>, key: K, value: V): void {
  const list = lists.get(key);
  if (list) list.push(value);
  else lists.set(key, [value]);
}

const logSize = (size: number | undefined) => Math.log(Math.max(size ?? 1, 1e-3));

function learn(list: readonly Took[]): Learned & { rest: number[] } {
  const logs = list.map((t) => Math.log(Math.max(t.seconds, 0.02)));
  const slope = list.length < enough.slope ? 0 : slopeOf(list, logs);
  const flat = list.map((t, n) => (logs[n] as number) - slope * logSize(t.size));
  const level = quantile(flat, 0.5);
  const by = new Map<string, number[]>();
  for (const [n, t] of list.entries()) add(by, t.model, (flat[n] as number) - level);
  const models = new Map([...by].map(([m, off]) => [m, (quantile(off, 0.5) * off.length) / (off.length + modelWeight)]));
  const rest = list.map((t, n) => (flat[n] as number) - level - (models.get(t.model) ?? 0));
  const free = Math.max(1, list.length - 1);
  return { level, slope, models, of: list.length, spread: Math.sqrt(sum(rest.map((r) => r * r)) / free), rest };
}

/** How the logarithm of the time grows with that of the size, within each model: a model that is slow and has much to do says nothing of the size. */
function slopeOf(list: readonly Took[], logs: readonly number[]): number {
  const by = new Map<string, number[]>();
  for (const [n, t] of list.entries()) add(by, t.model, n);
  let [xx, xy] = [0, 0];
  for (const places of by.values()) {
    const xs = places.map((n) => logSize(list[n]?.size));
    const ys = places.map((n) => logs[n] as number);
    const [mx, my] = [mean(xs), mean(ys)];
    for (const [n, x] of xs.entries()) {
      xx += (x - mx) ** 2;
      xy += (x - mx) * ((ys[n] as number) - my);
    }
  }
  // Sizes that hardly differ say nothing.
  return xx / list.length < 0.02 ? 0 : Math.min(1, Math.max(0, xy / xx));
}

/**
 * The spread of what the steps of a run have in common: that of the means of runs, without what chance alone gives them; a little in any case, since the next run may be
 * the first of its kind. Undefined: of fewer than three runs it cannot be told.
 */
function commonSpread(runs: readonly (readonly number[])[]): number | undefined {
  const several = runs.filter((r) => r.length >= 3);
  if (several.length < 3) return undefined;
  const means = several.map(mean);
  const all = mean(means);
  const between = sum(means.map((m) => (m - all) ** 2)) / (means.length - 1);
  const chance = mean(several.map((r) => sum(r.map((x) => (x - mean(r)) ** 2)) / (r.length - 1) / r.length));
  return Math.max(0.03, Math.sqrt(Math.max(0, between - chance)));
}
