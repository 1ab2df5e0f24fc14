import { z } from 'zod';
import { changeDue, type ChangeName, onItsWay, type Standing } from '../changes/index.ts';
import { type Plan, planOf, sheetOf } from '../charter/index.ts';
import type { Charter } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import type { Template } from '../model/template.ts';
import { Name } from '../model/words.ts';
import { View } from '../reading/index.ts';
import { expectedEnd, type Known, newRun, nothingKnown, type Step, timeline, usual } from '../schedule/index.ts';
import { broughtTo, imagesFor } from '../template/index.ts';

/** When a cluster may be changed: at any time, in the permitted hours of its link, or while its faster link is there. */
export const RolloutWhen = z.enum(['any', 'hours', 'docked']);
export type RolloutWhen = z.infer<typeof RolloutWhen>;

/** A roll-out as somebody asks for it: a version of a template, and clusters wave by wave. */
export const RolloutAsked = z
  .strictObject({
    version: z.number().int().min(1),
    /** Clusters, wave by wave, each in its order. */
    waves: z.array(z.array(Name).min(1).max(1000)).min(1).max(100),
    /** How many clusters of a wave are changed at once. */
    atOnce: z.number().int().min(1).max(100).default(2),
    /** Hours from the end of a wave to the next. */
    restHours: z.number().min(0).max(720).default(24),
    when: RolloutWhen.default('any'),
  })
  .refine(({ waves }) => new Set(waves.flat()).size === waves.flat().length, {
    message: 'a cluster is in one wave, and once',
    path: ['waves'],
  });
export type RolloutAsked = z.infer<typeof RolloutAsked>;

/**
 * Clusters in waves: a first one that shows whether it can be done at all, then the others.
 *
 * @example wavesOf(['a', 'b', 'c', 'd'], 1, 2) // [['a'], ['b', 'c'], ['d']]
 */
export function wavesOf(clusters: readonly string[], first: number, size: number): string[][] {
  const waves = first > 0 && clusters.length ? [clusters.slice(0, first)] : [];
  for (let at = Math.max(0, first); at < clusters.length; at += Math.max(1, size))
    waves.push(clusters.slice(at, at + Math.max(1, size)));
  return waves;
}

/** In which order clusters are changed: those that stand and that nothing stops, then those that are only declared, then those that something stops; each by name. */
export function firstToLast(clusters: readonly string[], estate: Estate, stopped: (charter: string) => boolean): string[] {
  const standing = new Set(estate.hosts.flatMap((h) => (h.state === 'serving' ? (h.held?.charter ?? []) : [])));
  const rank = (c: string) => (stopped(c) ? 2 : standing.has(c) ? 0 : 1);
  return [...clusters].sort((a, b) => rank(a) - rank(b) || (a < b ? -1 : 1));
}

/** A cluster in a roll-out, before it begins. */
export interface RolloutRow {
  /** From 1 on. */
  wave: number;
  charter: string;
  site: string;
  version: number;
  /** Hosts of it serve; of one that is only declared the charter alone is brought to the version. */
  stands: boolean;
  /** Images of the version that its mirror lacks; undefined: not known. */
  images: { release: string; has: number; of: number } | undefined;
  /** What it changes of the cluster; none: it stands as the version says. `refused`: why it cannot. */
  change: { kind: ChangeName; label: string; refused: string[] } | undefined;
  /** Why it cannot be brought to the version. */
  fault?: string;
  /** Seconds from the begin of the roll-out, as it is expected. */
  from: number;
  to: number;
}
export interface RolloutPlan {
  rows: RolloutRow[];
  steps: Step[];
  /** Clusters that are not of the template. */
  strange: string[];
}

export const stepIds = {
  ahead: (charter: string) => `${charter}/ahead`,
  bring: (charter: string) => `${charter}/bring`,
  change: (charter: string) => `${charter}/change`,
  rest: (wave: number) => `wave ${wave}/rest`,
};

/**
 * What a roll-out does: images are sent ahead to all; of each wave the charters are brought to the version and their clusters changed and proved, so many at once; a wave begins when the
 * one before is proved and has rested.
 */
export function rolloutOf(template: Template, estate: Estate, asked: RolloutAsked, known: Known = nothingKnown): RolloutPlan {
  // Of its own: it is given the estate as the version makes it afterwards, and what is the same in both is not looked at again.
  const view = new View(estate);
  const own = new Map(view.by('Charter', 'template', template.name).map((c) => [c.name, c]));
  const strange = asked.waves.flat().filter((c) => !own.has(c));
  const brought = new Map([...own.values()].map((c) => [c.name, broughtTo(c, view, asked.version)]));
  const hosts = groupedBy(estate.hosts, (h) => h.held?.charter);
  const reservations = groupedBy(estate.reservations, (r) => (r.owner.kind === 'charter' ? r.owner.name : undefined));
  /** What stands of a cluster: nothing else is gone through for it. */
  const standingOf = (name: string) => ({ ...estate, hosts: hosts.get(name) ?? [], reservations: reservations.get(name) ?? [] });
  const onWay = new Map(
    [...brought].map(([name, c]) => [
      name,
      c && onItsWay(name, { hosts: hosts.get(name) ?? [], releases: estate.releases, charters: [c] }).charter,
    ]),
  );
  const images = new Map([...brought].map(([name, c]) => [name, c && imagesFor(c, view)]));
  // All of them at once: what follows is computed in one estate, and not in one for each.
  view.take({ ...estate, charters: estate.charters.map((c) => onWay.get(c.name) ?? c) });
  const standing = new Set(estate.hosts.flatMap((h) => (h.state === 'serving' ? (h.held?.charter ?? []) : [])));
  const rows: RolloutRow[] = [];
  const steps: Step[] = [];
  const add = (id: string, lane: string, kind: Step['kind'], title: string, after: string[], took = usual[kind]) => {
    steps.push({ id, lane, kind, title, after, p50: took[0], p90: took[1], model: lane });
    return id;
  };
  let gate: string[] = [];
  for (const [n, clusters] of asked.waves.entries()) {
    const wave = n + 1;
    const mine = clusters.filter((c) => own.has(c));
    if (n && gate.length)
      gate = [
        add(stepIds.rest(wave), `wave ${wave}`, 'between', `wave ${wave} begins`, gate, [
          asked.restHours * 3600,
          asked.restHours * 3600,
        ]),
      ];
    const ends: string[] = [];
    for (const [k, name] of mine.entries()) {
      const charter = own.get(name) as Charter;
      const next = brought.get(name);
      const due = standing.has(name) ? dueOf(onWay.get(name) && planFrom(view, name), standingOf(name), known) : undefined;
      const ahead = add(stepIds.ahead(name), name, 'ahead', 'images', []);
      // So many at once: each waits for the one that is so many before it.
      const before = ends[k - asked.atOnce];
      const bring = add(stepIds.bring(name), name, 'bring', 'charter and checks', [...gate, ahead, ...(before ? [before] : [])]);
      ends.push(
        add(stepIds.change(name), name, 'changed', due?.change?.label ?? 'change and proof', [bring], due?.took ?? [1, 5]),
      );
      rows.push({
        wave,
        charter: name,
        site: charter.site,
        version: charter.template?.version ?? 0,
        stands: standing.has(name),
        images: images.get(name),
        change: due?.change,
        ...(next ? {} : { fault: 'an answer is lacking, or a version is not known' }),
        from: 0,
        to: 0,
      });
    }
    gate = ends.length ? ends : gate;
  }
  const bars = new Map(timeline(steps, newRun(steps), 0).bars.map((b) => [b.id, b]));
  for (const r of rows) {
    r.from = Math.round((bars.get(stepIds.bring(r.charter))?.start ?? 0) / 1000);
    r.to = Math.round((bars.get(stepIds.change(r.charter))?.end ?? 0) / 1000);
  }
  return { rows, steps, strange };
}

const planFrom = (view: View, name: string): Plan => {
  const plan = planOf(view, name);
  return { ...plan, follows: sheetOf(plan) };
};

function groupedBy<T>(list: readonly T[], key: (t: T) => string | undefined): Map<string, T[]> {
  const out = new Map<string, T[]>();
  for (const x of list) {
    const k = key(x);
    if (k === undefined) continue;
    const mine = out.get(k);
    if (mine) mine.push(x);
    else out.set(k, [x]);
  }
  return out;
}

/** The change of a cluster that follows from its charter, and how long it takes: the usual time, and that which nine of ten keep. */
function dueOf(plan: Plan | undefined, standing: Standing, known: Known) {
  const due = plan && changeDue(plan, standing, known);
  // Whether files differ is seen when it is begun.
  if (!due) return { change: undefined, took: usual.changed };
  const { middle, to } = expectedEnd(due.steps, newRun(due.steps), 0, 40);
  return {
    change: { kind: due.kind, label: due.label, refused: due.refused },
    took: [Math.round(middle / 1000), Math.round(to / 1000)] as [number, number],
  };
}
