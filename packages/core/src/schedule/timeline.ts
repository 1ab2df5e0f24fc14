import { passed, type RunStatus } from './run.ts';
import { shareKey, type Step } from './steps.ts';

export interface Bar {
  id: string;
  lane: string;
  start: number;
  end: number;
  deciding: boolean;
}
/** Times in milliseconds since the epoch. `within` is the half-width of the interval around the expected end. */
export interface Timeline {
  bars: Bar[];
  start: number;
  end: number;
  within: number;
  pace: number;
}

/**
 * Where every step stands in time: measured for what has run, expected for the rest. Steps ahead are
 * scaled by the pace of this build: time taken so far over time usually taken for the same steps.
 */
export function timeline(steps: readonly Step[], status: RunStatus, now: number): Timeline {
  const start = status.begun ? Date.parse(status.begun) : now;
  const pace = paceOf(steps, status);
  const at = new Map<string, { start: number; end: number; spread: number }>();
  const before = new Map<string, string | undefined>();
  const clock = status.state === 'queued' ? start : now;
  /** When each place at a shared thing comes free, and by which step. */
  const places = new Map<string, { at: number; by: string }[]>();
  for (const step of inOrder(steps, status)) {
    const s = status.steps[step.id];
    let last = [...step.after].sort((a, b) => (at.get(b)?.end ?? 0) - (at.get(a)?.end ?? 0))[0];
    const spread = ((step.p90 - step.p50) * 1000 * pace) / 1.28;
    const share = step.shares;
    const there = share && places.get(shareKey(share));
    if (s?.started && s.state !== 'waiting' && s.state !== 'running' && s.ended)
      at.set(step.id, { start: Date.parse(s.started), end: Date.parse(s.ended), spread: 0 });
    else if (s?.started && s.state === 'running') {
      const began = Date.parse(s.started);
      const byCount = s.done && s.of ? began + ((clock - began) * s.of) / s.done : began + step.p50 * 1000 * pace;
      at.set(step.id, { start: began, end: Math.max(clock, byCount), spread });
    } else {
      let from = Math.max(clock, last ? (at.get(last)?.end ?? clock) : clock);
      if (share && there && there.length >= share.room) {
        // All places are taken: it waits for the first that comes free.
        const next = there.reduce((a, b) => (b.at < a.at ? b : a));
        there.splice(there.indexOf(next), 1);
        if (next.at > from) {
          from = next.at;
          last = next.by;
        }
      }
      at.set(step.id, { start: from, end: from + step.p50 * 1000 * pace, spread });
    }
    before.set(step.id, last);
    if (share && !passed(s?.state)) {
      const list = there ?? [];
      list.push({ at: at.get(step.id)?.end ?? clock, by: step.id });
      places.set(shareKey(share), list);
    }
  }
  const deciding = new Set<string>();
  let variance = 0;
  let step: string | undefined = [...at.entries()].sort((a, b) => b[1].end - a[1].end)[0]?.[0];
  while (step) {
    deciding.add(step);
    variance += (at.get(step)?.spread ?? 0) ** 2;
    step = before.get(step);
  }
  const bars = steps.map((s) => ({
    id: s.id,
    lane: s.lane,
    start: at.get(s.id)?.start ?? start,
    end: at.get(s.id)?.end ?? start,
    deciding: deciding.has(s.id),
  }));
  return { bars, start, end: Math.max(start, ...bars.map((b) => b.end)), within: Math.sqrt(variance), pace };
}

/**
 * Steps so that each comes after what it waits for, and those that run before those that wait: they hold their places at
 * what is shared. The order given is kept otherwise, since it is the order in which steps are started.
 */
function inOrder(steps: readonly Step[], status: RunStatus): Step[] {
  const byId = new Map(steps.map((s) => [s.id, s]));
  const out: Step[] = [];
  const seen = new Set<string>();
  /** How many steps stand before it: what is one step away is started before what is three. */
  const depth = new Map<string, number>();
  const visit = (s: Step): number => {
    const known = depth.get(s.id);
    if (known !== undefined || seen.has(s.id)) return known ?? 0;
    seen.add(s.id);
    let most = 0;
    for (const a of s.after) {
      const b = byId.get(a);
      if (b) most = Math.max(most, visit(b) + 1);
    }
    depth.set(s.id, most);
    out.push(s);
    return most;
  };
  steps.forEach(visit);
  const waits = (s: Step) => (status.steps[s.id]?.state === 'waiting' ? 1 : 0);
  return out
    .map((s, i) => ({ s, i }))
    .sort((a, b) => waits(a.s) - waits(b.s) || (depth.get(a.s.id) ?? 0) - (depth.get(b.s.id) ?? 0) || a.i - b.i)
    .map(({ s }) => s);
}

function paceOf(steps: readonly Step[], status: RunStatus): number {
  let taken = 0;
  let usual = 0;
  for (const step of steps) {
    const s = status.steps[step.id];
    if (s?.state !== 'done' || !s.started || !s.ended || step.p50 < 30) continue;
    taken += (Date.parse(s.ended) - Date.parse(s.started)) / 1000;
    usual += step.p50;
  }
  return usual > 0 ? Math.max(0.0001, taken / usual) : 1;
}
