import type { Backup, BackupStore } from '../model/backup.ts';
import type { Charter, Site } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import { keptOf } from './keep.ts';
import { offsetChanges, timesAfter } from './times.ts';

/** A volume that the workloads of a charter ask for, once for each that there will be. */
export interface AskedVolume {
  /** `ais-store/data-0`: with the number of its pod, where each pod has its own. */
  name: string;
  /** `ais-store/data`: as plans name it. */
  of: string;
  workload: string;
  namespace: string;
  /** Its claim: that of a StatefulSet is named by the API, that of a Deployment after both. */
  claim: string;
  sizeGB: number;
  /** What becomes other in a day, in GB, and whether that was said. */
  changesGB: number;
  said: boolean;
  class: string | undefined;
  mayLose: number | undefined;
}
/** What becomes other in a day, where nothing else is said: a twentieth. */
const share = 1 / 20;

export const volumesAsked = (charter: Charter): AskedVolume[] =>
  (charter.workloads ?? []).flatMap((w) =>
    (w.volumes ?? []).flatMap((v) =>
      Array.from({ length: w.kind === 'StatefulSet' ? w.replicas : 1 }, (_, k) => ({
        name: `${w.name}/${v.name}${w.kind === 'StatefulSet' ? `-${k}` : ''}`,
        of: `${w.name}/${v.name}`,
        workload: w.name,
        namespace: w.namespace,
        claim: w.kind === 'StatefulSet' ? `${v.name}-${w.name}-${k}` : `${w.name}-${v.name}`,
        sizeGB: v.sizeGB,
        changesGB: v.changesGB ?? v.sizeGB * share,
        said: v.changesGB !== undefined,
        class: v.class ?? charter.storage?.find((c) => c.standard)?.name,
        mayLose: w.mayLose,
      })),
    ),
  );

/** Which plan backs a volume up: one that names it, else the first that names none; undefined: none does. */
export function planOf(charter: Charter, of: string): Backup | undefined {
  const plans = charter.backups ?? [];
  return plans.find((p) => p.volumes?.includes(of)) ?? plans.find((p) => !p.volumes);
}

const day = 86_400_000;
const year = 366 * day;

/** How quickly bytes pass between a store and a site, in Mbit/s, and what the slowest part of the way is; undefined: nothing of it is known. */
export function rateTo(
  store: BackupStore,
  from: Site | undefined,
  to: Site | undefined,
): { mbit: number; by: string } | undefined {
  const parts: { mbit: number; by: string }[] = [];
  if (store.rateMbit) parts.push({ mbit: store.rateMbit, by: store.name });
  if (from && to && from.name !== to.name)
    for (const s of [from, to]) if (s.link) parts.push({ mbit: s.link.rateMbit, by: `the link of ${s.title}` });
  return parts.sort((a, b) => a.mbit - b.mbit)[0];
}

/** A gigabyte is 8,000 megabits. @returns milliseconds */
export const passes = (gb: number, mbit: number): number => Math.round((gb * 8000 * 1000) / mbit);

/** A volume with what its plan comes to. */
export interface Covered extends AskedVolume {
  plan: Backup | undefined;
  store: BackupStore | undefined;
  /** How long the first one takes, with all of it, and a later one, with what changed since; milliseconds; undefined: the rate is not known. */
  first: number | undefined;
  later: number | undefined;
  /** Milliseconds of what was written last that can be lost at the worst: the longest time between two, and until the later one is whole. */
  loses: number | undefined;
  /** Until all of it is read back; milliseconds. */
  back: number | undefined;
  /** How many there are once the plan has run long enough, and what they take in the store, in GB. */
  count: number;
  storeGB: number;
}

/** Of a plan that runs often no more times are looked at: what it keeps for longer is told from how often it runs. */
const looked = 400;
/** Times of plans, by what they say, their zone and the month that they are looked at from: a year from then on. */
const times = new Map<string, { runs: number[]; longest: number | undefined }>();
function timesOf(at: string, zone: string, now: number) {
  const d = new Date(now);
  const from = Date.UTC(d.getUTCFullYear(), d.getUTCMonth(), 1);
  const key = `${at} ${zone} ${from}`;
  let known = times.get(key);
  if (!known) {
    if (times.size > 500) times.clear();
    const runs = timesAfter(at, zone, from, looked, from + year);
    // A plan that runs more often than that is looked at around each change of clocks, too.
    const around =
      runs.length < looked
        ? []
        : offsetChanges(zone, from, from + year).map((c) => timesAfter(at, zone, c - 2 * day, looked, c + 2 * day));
    const longest = Math.max(...[runs, ...around].flatMap(gapsOf));
    known = { runs, longest: Number.isFinite(longest) ? longest : undefined };
    times.set(key, known);
  }
  return known;
}

const gapsOf = (list: readonly number[]): number[] => list.slice(1).map((t, i) => t - (list[i] as number));

/** The longest time between two, and how many there are, over how long, once the plan has run long enough. */
function stands(
  { keep }: Backup,
  { runs, longest }: ReturnType<typeof timesOf>,
): { longest: number | undefined; count: number; span: number } {
  const [first = 0, end = 0] = [runs[0], runs.at(-1)];
  if (runs.length < 2) return { longest: undefined, count: runs.length, span: 0 };
  const wants = (keep.days ?? 0) * day;
  const each = (end - first) / (runs.length - 1);
  if (wants <= end - first && (keep.last ?? 0) <= runs.length) {
    const { kept } = keptOf(
      runs.map((at) => ({ at })),
      keep,
      end,
    );
    return { longest, count: kept.length, span: end - (kept.at(-1)?.at ?? end) };
  }
  const count = Math.max(keep.last ?? 1, Math.floor(wants / each));
  return { longest, count, span: (count - 1) * each };
}

/** How backups of a charter's volumes come out, by its plans. Looked at from `now`, over a year, so that changes of clocks count. */
export function coverage(charter: Charter, estate: Pick<Estate, 'sites' | 'backupStores'>, now: number): Covered[] {
  const site = estate.sites.find((s) => s.name === charter.site);
  const zone = site?.timezone ?? 'UTC';
  return volumesAsked(charter).map((v) => {
    const plan = planOf(charter, v.of);
    const store = plan && estate.backupStores.find((s) => s.name === plan.store);
    if (!plan || !store)
      return { ...v, plan, store, first: undefined, later: undefined, loses: undefined, back: undefined, count: 0, storeGB: 0 };
    const { longest, count, span } = stands(plan, timesOf(plan.at, zone, now));
    const rate = rateTo(
      store,
      site,
      estate.sites.find((s) => s.name === store.site),
    );
    // Of what changes between two no more can be other than all of it.
    const between = longest === undefined ? v.sizeGB : Math.min(v.sizeGB, (v.changesGB * longest) / day);
    const first = rate && passes(v.sizeGB, rate.mbit);
    const later = rate && passes(between, rate.mbit);
    return {
      ...v,
      plan,
      store,
      first,
      later,
      loses: longest === undefined ? undefined : longest + (later ?? 0),
      back: rate && passes(v.sizeGB, rate.mbit),
      count,
      // The oldest lies there whole, each later one with what became other.
      storeGB: count ? v.sizeGB + (v.changesGB * span) / day : 0,
    };
  });
}

/** What all clusters take in a store once their plans have run long enough, in GB, by cluster. */
export function takenIn(
  store: BackupStore,
  estate: Pick<Estate, 'sites' | 'backupStores' | 'charters'>,
  now: number,
): { charter: string; gb: number }[] {
  return estate.charters.flatMap((c) => {
    if (!(c.backups ?? []).some((b) => b.store === store.name)) return [];
    const gb = coverage(c, estate, now)
      .filter((v) => v.store === store)
      .reduce((sum, v) => sum + v.storeGB, 0);
    return [{ charter: c.name, gb }];
  });
}
