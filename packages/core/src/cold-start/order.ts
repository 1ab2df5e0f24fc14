import TinyQueue from 'tinyqueue';
import type { Edit } from '../model/edit.ts';
import { type Mend, type Need, type Part, type PartKind, partKinds } from './part.ts';

/** A part with when it begins to start, when it does its work, and for whom it waited last. */
export interface StartRow {
  id: string;
  kind: PartKind;
  title: string;
  charter?: string;
  path?: string;
  /** Seconds from when the power is back. */
  begins: number;
  up: number;
  takes: number;
  declared: boolean;
  needs: { any: string[]; of: number; why: string }[];
  /** Parts that it waits for longest: they are up when it begins. */
  waits: string[];
  /** Needs that it does not wait for, since that would be a circle; and what must be true for that. */
  without: { any: string[]; why: string; unless: string | undefined }[];
  /** Seconds from when a planned stop begins until its turn comes, and until it has stopped. */
  stopBegins: number;
  stopped: number;
}
/** Parts that wait for each other: each for the next, the last for the first. */
export interface StartCircle {
  parts: { id: string; title: string; why: string }[];
  /** What breaks it by itself: a condition of one of its parts. Without it, it never starts unless somebody helps. */
  unless: string | undefined;
  /** The part at which it was broken here, to tell what comes after. */
  at: string;
  /** The smallest change with which it is none. */
  mend: { label: string; edits: Edit[] } | undefined;
}
export interface ColdStart {
  /** In the order in which they begin. */
  parts: StartRow[];
  circles: StartCircle[];
  /** Seconds until everything is up, and until everything has stopped. */
  total: number;
  stopTotal: number;
}

type Known = ReadonlyMap<string, Part>;
interface State {
  begins: Map<string, number>;
  up: Map<string, number>;
  waits: Map<string, string[]>;
}

/**
 * Starts all that can: a part begins when each of its needs has as many members up as it wants, the quickest counting (Knuth, "A
 * Generalization of Dijkstra's Algorithm", 1977). What is not in `up` afterwards waits in a circle, or for one.
 *
 * @param without needs that are not waited for
 */
function started(parts: Known, without: ReadonlySet<Need>): State {
  const begins = new Map<string, number>();
  const up = new Map<string, number>();
  const waits = new Map<string, string[]>();
  const left = new Map<string, number>();
  const missing = new Map<Need, number>();
  const asks = new Map<string, { part: Part; need: Need }[]>();
  const queue = new TinyQueue<{ id: string; at: number }>([], (a, b) => a.at - b.at || (a.id < b.id ? -1 : 1));
  const begin = (p: Part, at: number) => {
    begins.set(p.id, at);
    queue.push({ id: p.id, at: at + p.takes });
  };
  for (const p of parts.values()) {
    const needs = p.needs.filter((n) => !without.has(n));
    left.set(p.id, needs.length);
    for (const need of needs) {
      missing.set(need, need.of);
      for (const m of need.any) {
        const list = asks.get(m);
        if (list) list.push({ part: p, need });
        else asks.set(m, [{ part: p, need }]);
      }
    }
    if (!needs.length) begin(p, 0);
  }
  for (let next = queue.pop(); next; next = queue.pop()) {
    up.set(next.id, next.at);
    for (const { part, need } of asks.get(next.id) ?? []) {
      const still = (missing.get(need) ?? 0) - 1;
      missing.set(need, still);
      if (still !== 0) continue;
      // The need that is met last is what it waited for.
      waits.set(part.id, [next.id]);
      const open = (left.get(part.id) ?? 0) - 1;
      left.set(part.id, open);
      if (open === 0) begin(part, next.at);
    }
  }
  return { begins, up, waits };
}

interface Step {
  part: Part;
  need: Need;
}
/** The shortest circle among parts that are not up; undefined where all are. Every part that is not up waits for one that is not either. */
function circleOf(parts: Known, state: State, without: ReadonlySet<Need>): Step[] | undefined {
  const open = [...parts.values()].filter((p) => !state.up.has(p.id));
  const missing = (n: Need): Part[] => n.any.flatMap((m) => (state.up.has(m) ? [] : (parts.get(m) ?? [])));
  const steps = (p: Part): { to: Part; need: Need }[] =>
    p.needs
      .filter((n) => !without.has(n) && n.any.length - missing(n).length < n.of)
      .flatMap((need) => missing(need).map((to) => ({ to, need })));
  let best: Step[] | undefined;
  for (const from of onCircles(open, steps)) {
    // Breadth first back to itself.
    const came = new Map<string, { before: Part; need: Need }>();
    const line: Part[] = [from];
    search: for (let i = 0; i < line.length; i++) {
      const p = line[i] as Part;
      for (const { to, need } of steps(p)) {
        if (to !== from && came.has(to.id)) continue;
        if (to === from) {
          const path: Step[] = [{ part: p, need }];
          for (let at = p; at !== from; ) {
            const c = came.get(at.id) as { before: Part; need: Need };
            path.unshift({ part: c.before, need: c.need });
            at = c.before;
          }
          if (!best || path.length < best.length) best = path;
          break search;
        }
        came.set(to.id, { before: p, need });
        line.push(to);
      }
    }
  }
  return best && turned(best);
}

/** A circle from its first kind of part on, whoever it was found from. */
function turned(circle: readonly Step[]): Step[] {
  const rank = (s: Step) => partKinds.indexOf(s.part.kind);
  const first = circle.reduce((a, b) => ((rank(b) - rank(a) || (b.part.id < a.part.id ? -1 : 1)) < 0 ? b : a));
  const i = circle.indexOf(first);
  return [...circle.slice(i), ...circle.slice(0, i)];
}

/** Parts that lie on a circle which waits for no other circle: of the first such one. */
function onCircles(open: readonly Part[], steps: (p: Part) => { to: Part }[]): Part[] {
  // Tarjan, "Depth-first search and linear graph algorithms", 1972: the first component that is closed waits for nobody outside it.
  const index = new Map<string, number>();
  const low = new Map<string, number>();
  const stack: Part[] = [];
  const on = new Set<string>();
  for (const root of open) {
    if (index.has(root.id)) continue;
    const work: { p: Part; next: { to: Part }[]; i: number }[] = [];
    const enter = (p: Part) => {
      index.set(p.id, index.size);
      low.set(p.id, index.get(p.id) as number);
      stack.push(p);
      on.add(p.id);
      work.push({ p, next: steps(p), i: 0 });
    };
    enter(root);
    for (let top = work.at(-1); top; top = work.at(-1)) {
      const step = top.next[top.i++];
      if (step) {
        if (!index.has(step.to.id)) enter(step.to);
        else if (on.has(step.to.id)) low.set(top.p.id, Math.min(low.get(top.p.id) as number, index.get(step.to.id) as number));
        continue;
      }
      work.pop();
      const above = work.at(-1);
      if (above) low.set(above.p.id, Math.min(low.get(above.p.id) as number, low.get(top.p.id) as number));
      if (low.get(top.p.id) !== index.get(top.p.id)) continue;
      const whole = stack.splice(stack.indexOf(top.p));
      for (const p of whole) on.delete(p.id);
      if (whole.length > 1 || steps(top.p).some((s) => s.to === top.p)) return whole;
    }
  }
  return [];
}

/** The first change of a need in a circle after which that need is met from outside the circle: tried, each by itself, those that a condition hangs on first. */
function mended(
  parts: Map<string, Part>,
  circle: readonly Step[],
  without: ReadonlySet<Need>,
): (Mend & { need: Need }) | undefined {
  const bent = circle.filter((s) => s.need.unless);
  for (const { part, need } of [...bent, ...circle.filter((s) => !s.need.unless)]) {
    for (const mend of need.mends?.() ?? []) {
      const known = new Set(parts.keys());
      const any = mend.any();
      const other: Need = { ...need, any, of: Math.min(need.of, any.length) };
      const tried = new Map(parts);
      tried.set(part.id, { ...part, needs: part.needs.flatMap((n) => (n !== need ? n : any.length ? other : [])) });
      const { up } = started(tried, without);
      for (const id of [...parts.keys()]) if (!known.has(id)) parts.delete(id);
      if (any.filter((m) => up.has(m)).length >= other.of) return { ...mend, need };
    }
  }
  return undefined;
}

/**
 * What starts when after a loss of all power, and what stops when before a planned one. Circles are broken at the need that a condition
 * can stand in for, else at the first that a change would mend, else at the last of them, so that everything after them is told too.
 *
 * @param given is left as it is
 */
export function inOrder(given: ReadonlyMap<string, Part>): ColdStart {
  const parts = given as Map<string, Part>;
  const without = new Set<Need>();
  const circles: StartCircle[] = [];
  let state = started(parts, without);
  for (let circle = circleOf(parts, state, without); circle; circle = circleOf(parts, state, without)) {
    const mend = mended(parts, circle, without);
    const broken = circle.find((s) => s.need.unless) ?? circle.find((s) => s.need === mend?.need) ?? (circle.at(-1) as Step);
    without.add(broken.need);
    circles.push({
      parts: circle.map((s) => ({ id: s.part.id, title: s.part.title, why: s.need.why })),
      unless: broken.need.unless,
      at: broken.part.id,
      mend: mend && { label: mend.label, edits: mend.edits },
    });
    state = started(parts, without);
  }
  const stops = stopping(parts, state, without);
  const rows = [...parts.values()].map((p): StartRow => {
    const { id, kind, title, charter, path, takes, declared } = p;
    return {
      id,
      kind,
      title,
      ...(charter ? { charter } : {}),
      ...(path ? { path } : {}),
      begins: state.begins.get(id) ?? 0,
      up: state.up.get(id) ?? 0,
      takes,
      declared,
      needs: p.needs.filter((n) => !without.has(n)).map(({ any, of, why }) => ({ any, of, why })),
      waits: state.waits.get(id) ?? [],
      without: p.needs.filter((n) => without.has(n)).map(({ any, why, unless }) => ({ any, why, unless })),
      stopBegins: stops.get(id) ?? 0,
      stopped: (stops.get(id) ?? 0) + p.stops,
    };
  });
  rows.sort((a, b) => a.begins - b.begins || a.up - b.up || (a.id < b.id ? -1 : 1));
  return {
    parts: rows,
    circles,
    total: Math.max(0, ...rows.map((r) => r.up)),
    stopTotal: Math.max(0, ...rows.map((r) => r.stopped)),
  };
}

/**
 * When each part may be stopped: after all that need it, also those that would have done with another, as long as it does not need them
 * itself.
 */
function stopping(parts: Known, state: State, without: ReadonlySet<Need>): Map<string, number> {
  const needs = new Map<string, Set<string>>();
  const later: [string, string][] = [];
  // They were put there in an order in which none comes before what it started on.
  const place = new Map([...state.up.keys()].map((id, i) => [id, i]));
  for (const p of parts.values()) {
    const known = new Set<string>();
    needs.set(p.id, known);
    for (const m of p.needs.flatMap((n) => (without.has(n) ? [] : n.any)))
      if ((place.get(m) ?? 0) < (place.get(p.id) ?? 0)) known.add(m);
      else if (m !== p.id) later.push([p.id, m]);
  }
  const leads = (from: string, to: string, seen = new Set<string>()): boolean => {
    if (from === to) return true;
    if (seen.has(from)) return false;
    seen.add(from);
    return [...(needs.get(from) ?? [])].some((m) => leads(m, to, seen));
  };
  for (const [p, m] of later) if (!leads(m, p)) needs.get(p)?.add(m);
  const neededBy = new Map<string, string[]>();
  for (const [p, list] of needs)
    for (const m of list) {
      const by = neededBy.get(m);
      if (by) by.push(p);
      else neededBy.set(m, [p]);
    }
  const at = new Map<string, number>();
  const stopAt = (id: string): number => {
    const known = at.get(id);
    if (known !== undefined) return known;
    const turn = Math.max(0, ...(neededBy.get(id) ?? []).map((p) => stopAt(p) + (parts.get(p)?.stops ?? 0)));
    at.set(id, turn);
    return turn;
  };
  for (const id of parts.keys()) stopAt(id);
  return at;
}
