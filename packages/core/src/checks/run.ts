import { type Estate, sortKey } from '../model/estate.ts';
import { View } from '../reading/index.ts';
import { catalogue } from './catalogue.ts';
import type { Area, Check, Finding } from './check.ts';

export interface Report {
  findings: Finding[];
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

const found = (check: Check, subject: unknown, view: View): Finding[] =>
  check.find(subject as never, view).map((hit) => ({
    ...hit,
    id: `${check.code} ${hit.subject.kind} ${hit.subject.name} ${hit.path.join('.')}`,
    code: check.code,
    area: check.code.slice(0, 3) as Area,
    severity: check.severity,
    charters: hit.charters ?? (hit.subject.kind === 'Charter' ? [hit.subject.name] : []),
  }));

/** The checks of one kind of subject, run together on each. */
interface Asked {
  id: string;
  of: Check['of'][number];
  checks: Check[];
}

/**
 * A checker that remembers. Given one estate after the other, it runs only the checks that read something that is another object than
 * before, and answers what it would have found had it begun with this one. Of a whole check, use `check`.
 */
export class Checker {
  readonly view = new View();
  private readonly asked: Asked[] = [];
  /** What was found, by what was asked. */
  private readonly by = new Map<string, readonly Finding[]>();
  private readonly counts = new Map<string, number>();
  private sorted: Finding[] = [];
  private readonly groups = new Map<string, ReadonlySet<string>>();

  constructor(private readonly checks: readonly Check[] = catalogue) {
    for (const check of checks)
      for (const of of check.of) {
        const id = `${of.shelf}${of.group ? `/${of.group}` : ''}`;
        const same = this.asked.find((a) => a.id === id);
        if (same) same.checks.push(check);
        else this.asked.push({ id, of, checks: [check] });
      }
  }

  run(estate: Estate): Report {
    const { came, went } = this.view.take(estate, { all: true });
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
    const begin = (asked: Asked, key: string) => replace(`check ${asked.id} ${key}`, this.ask(asked, key));
    const end = (asked: Asked, key: string) => {
      this.view.cells.drop(`check ${asked.id} ${key}`);
      replace(`check ${asked.id} ${key}`, []);
    };
    for (const [shelf, key] of went) for (const a of this.asked) if (a.id === shelf) end(a, key);
    for (const [shelf, key] of came) for (const a of this.asked) if (a.id === shelf) begin(a, key);
    for (const asked of this.asked) {
      if (!asked.of.group) continue;
      const now = this.view.shared(asked.of.shelf, asked.of.group as never);
      const before = this.groups.get(asked.id) ?? new Set();
      this.groups.set(asked.id, new Set(now));
      for (const key of before) if (!now.has(key)) end(asked, key);
      for (const key of now) if (!before.has(key)) begin(asked, key);
    }
    for (const root of this.view.cells.takeDoubtful()) {
      const asked = this.asked.find((a) => root.startsWith(`check ${a.id} `)) as Asked;
      replace(root, this.ask(asked, root.slice(`check ${asked.id} `.length)));
    }
    this.merge(gone, come);
    const passed = this.checks.filter((c) => !this.counts.get(c.code)).length;
    return { findings: this.sorted, checks: this.checks.length, passed };
  }

  private ask(asked: Asked, key: string): Finding[] {
    const { of, checks } = asked;
    return this.view.cells.watch(`check ${asked.id} ${key}`, () => {
      const subject = of.group ? this.view.by(of.shelf, of.group as never, key) : this.view.get(of.shelf, key);
      if (subject === undefined) return [];
      return checks.flatMap((c) => found(c, subject, this.view));
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
  }
}

/** A function that remembers, as `Checker.run`. */
export function makeChecker(checks: readonly Check[] = catalogue): (estate: Estate) => Report {
  const checker = new Checker(checks);
  return (estate) => checker.run(estate);
}

/** Every check over the whole estate. */
export const check = (estate: Estate): Report => new Checker().run(estate);
