import { type Estate, sortKey } from '../model/estate.ts';
import { type GroupOf, type ShelfName, View } from '../reading/index.ts';
import { catalogue } from './catalogue.ts';
import type { Area, Check, Finding } from './check.ts';

export interface Report {
  /** What was found, without what somebody lives with. */
  findings: Finding[];
  /** Findings that somebody lives with, as long as their figures and the day stand. */
  accepted: Finding[];
  checks: number;
  passed: number;
}

const rank = { stop: 0, mind: 1, note: 2 } as const;

/** Where a finding stands in a report: by severity, then by code, subject and field. Worked out once a finding. */
const places = new WeakMap<Finding, string>();
function placeOf(f: Finding): string {
  let p = places.get(f);
  if (p === undefined) {
    p = `${rank[f.severity]} ${f.code} ${sortKey(f.subject.name)} ${f.path.join('.')} ${f.text}`;
    places.set(f, p);
  }
  return p;
}

/** Who lives with a finding that says this; nobody when its figures are others by now, or the day has passed. */
function acceptedFor(view: View, finding: string, text: string): Finding['accepted'] {
  const a = view.get('acceptance', finding);
  if (!a || a.text !== text || Date.parse(a.until) <= Date.parse(view.now)) return undefined;
  return { reason: a.reason, by: a.by, at: a.at, until: a.until };
}

const none: Finding[] = [];
function found(check: Check, subject: unknown, view: View): Finding[] {
  const hits = check.find(subject as never, view);
  if (!hits.length) return none;
  return hits.map((hit) => {
    const id = `${check.code} ${hit.subject.kind} ${hit.subject.name} ${hit.path.join('.')}`;
    const accepted = check.severity === 'stop' ? undefined : acceptedFor(view, id, hit.text);
    return {
      ...hit,
      id,
      code: check.code,
      area: check.code.slice(0, 3) as Area,
      severity: check.severity,
      charters: hit.charters ?? (hit.subject.kind === 'Charter' ? [hit.subject.name] : []),
      ...(accepted ? { accepted } : {}),
    };
  });
}

/** Documents of which there are many are asked about together: there are fewer answers to keep, and each is still soon given. */
const together: { [K in ShelfName]?: GroupOf<K> } = { Reservation: 'network', Host: 'site', Record: 'zone' };

/** The checks that are asked of the same subjects, and how those are told apart. */
interface Asked {
  id: string;
  shelf: ShelfName;
  group?: string;
  checks: Check[];
  /** Whether a group is one subject, and not each of its members. */
  whole: boolean;
}

/**
 * A checker that remembers. Given one estate after the other, it runs only the checks that read something that is another object than
 * before, and answers what it would have found had it begun with this one. Of a whole check, use `check`.
 */
export class Checker {
  readonly view: View;
  private readonly asked: Asked[] = [];
  /** What was found, by what was asked. */
  private readonly by = new Map<string, readonly Finding[]>();
  private readonly keys = new Map<string, ReadonlySet<string>>();
  private readonly counts = new Map<string, number>();
  private sorted: Finding[] = [];
  private open: Finding[] = [];
  private lived: Finding[] = [];

  constructor(
    private readonly checks: readonly Check[] = catalogue,
    /** For one estate alone: nothing is remembered. */
    { once = false } = {},
  ) {
    this.view = new View(undefined, { once });
    for (const check of checks)
      for (const { shelf, group } of check.of) {
        const id = group ? `shared ${shelf}/${group}` : shelf;
        const same = this.asked.find((a) => a.id === id);
        const by = group ?? together[shelf];
        if (same) same.checks.push(check);
        else this.asked.push({ id, shelf, checks: [check], whole: group !== undefined, ...(by ? { group: by } : {}) });
      }
  }

  run(estate: Estate): Report {
    this.view.take(estate, { all: true });
    const gone: Finding[] = [];
    const come: Finding[] = [];
    const replace = (root: string, now: readonly Finding[]) => {
      const before = this.by.get(root);
      if (before === now || (!before && !now.length)) return;
      const kept = new Set(now);
      for (const f of before ?? []) if (!kept.has(f)) gone.push(f);
      const had = new Set(before);
      for (const f of now) if (!had.has(f)) come.push(f);
      if (now.length) this.by.set(root, now);
      else this.by.delete(root);
    };
    const { cells } = this.view;
    for (const a of this.asked) {
      const now = this.subjects(a);
      const before = this.keys.get(a.id) ?? new Set();
      this.keys.set(a.id, now);
      for (const key of before)
        if (!now.has(key)) {
          cells.drop(`check ${a.id} ${key}`);
          replace(`check ${a.id} ${key}`, []);
        }
      for (const key of now) if (!before.has(key)) replace(`check ${a.id} ${key}`, this.ask(a, key));
    }
    for (const root of cells.takeDoubtful()) {
      const a = this.asked.find((x) => root.startsWith(`check ${x.id} `)) as Asked;
      replace(root, this.ask(a, root.slice(`check ${a.id} `.length)));
    }
    this.merge(gone, come);
    const passed = this.checks.filter((c) => !this.counts.get(c.code)).length;
    return { findings: this.open, accepted: this.lived, checks: this.checks.length, passed };
  }

  private subjects({ shelf, group, whole }: Asked): Set<string> {
    if (whole) return new Set(this.view.shared(shelf, group as never));
    return new Set(group ? this.view.groups(shelf, group as never) : this.view.keys(shelf));
  }

  private ask({ id, shelf, group, whole, checks }: Asked, key: string): readonly Finding[] {
    return this.view.cells.watch(`check ${id} ${key}`, () => {
      // Of most subjects nothing is found.
      let out = none;
      const look = (subject: unknown) => {
        for (const c of checks) {
          const now = found(c, subject, this.view);
          if (!now.length) continue;
          if (out === none) out = [];
          for (const f of now) out.push(f);
        }
      };
      if (!group) {
        const one = this.view.get(shelf, key);
        if (one !== undefined) look(one);
      } else {
        const all: readonly unknown[] = this.view.by(shelf, group as never, key);
        if (whole) look(all);
        else for (const one of all) look(one);
      }
      return out;
    });
  }

  private merge(gone: Finding[], come: Finding[]): void {
    if (!gone.length && !come.length) return;
    const away = new Set(gone);
    for (const f of gone) this.counts.set(f.code, (this.counts.get(f.code) ?? 1) - 1);
    for (const f of come) this.counts.set(f.code, (this.counts.get(f.code) ?? 0) + 1);
    const news = come.map((f) => [placeOf(f), f] as const).sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0));
    const out: Finding[] = [];
    let next = 0;
    for (const f of this.sorted) {
      if (away.has(f)) continue;
      for (; next < news.length && (news[next]?.[0] as string) < placeOf(f); next++) out.push(news[next]?.[1] as Finding);
      out.push(f);
    }
    for (; next < news.length; next++) out.push(news[next]?.[1] as Finding);
    this.sorted = out;
    this.open = out.filter((f) => !f.accepted);
    this.lived = out.filter((f) => f.accepted);
  }
}

/** A function that remembers, as `Checker.run`. */
export function makeChecker(checks: readonly Check[] = catalogue): (estate: Estate) => Report {
  const checker = new Checker(checks);
  return (estate) => checker.run(estate);
}

/** Every check over the whole estate, once. */
export const check = (estate: Estate): Report => new Checker(catalogue, { once: true }).run(estate);
