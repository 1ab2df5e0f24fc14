import { describe, expect, it } from 'vitest';
import { type LaneRow, newRun, type RunStatus, rowsOf, type Step, type StepState } from './index.ts';

const step = (lane: string, kind: Step['kind']): Step => ({
  id: `${lane}/${kind}`,
  lane,
  kind,
  title: kind,
  after: [],
  p50: 60,
  p90: 120,
});
/** The estate, three members, so many workers, and the cluster. */
const large = (workers: number) => [
  step('estate', 'names'),
  step('plover', 'quorum'),
  ...['m1', 'm2', 'm3'].map((m) => step(m, 'power')),
  ...Array.from({ length: workers }, (_, k) => [step(`w${k}`, 'power'), step(`w${k}`, 'images')]).flat(),
];
const groupOf = (lane: string) => (lane.startsWith('w') ? 'worker' : lane.startsWith('m') ? 'control plane' : undefined);
const set = (status: RunStatus, id: string, state: StepState) => {
  const s = status.steps[id];
  if (s) s.state = state;
};
const named = (rows: readonly LaneRow[]) => rows.map((r) => ('fold' in r ? `${r.fold}: ${r.lanes.length}` : r.lane));

describe('the rows of a run', () => {
  const of = (workers: number, change: (s: RunStatus) => void = () => undefined, open: string[] = []) => {
    const steps = large(workers);
    const status = newRun(steps);
    change(status);
    return rowsOf(steps, status, { last: 'plover', groupOf, open: new Set(open) });
  };

  it('are the lanes one by one while they are few, the cluster last', () => {
    expect(named(of(2))).toEqual(['estate', 'm1', 'm2', 'm3', 'w0', 'w1', 'plover']);
    expect(named(of(12))).toHaveLength(17);
  });
  it('are folded by how they stand when they are many: what failed first', () => {
    const rows = of(300, (s) => {
      for (const id of ['w7/power', 'w7/images', 'w8/power', 'w8/images']) set(s, id, 'done');
      set(s, 'w3/power', 'failed');
      set(s, 'w4/power', 'running');
      set(s, 'w5/power', 'done'); // and waits for its images
    });
    expect(named(rows)).toEqual([
      ...['estate', 'm1', 'm2', 'm3'],
      ...['worker failed: 1', 'worker running: 1', 'worker waiting: 296', 'worker done: 2', 'plover'],
    ]);
    const waiting = rows.find((r) => 'fold' in r && r.state === 'waiting');
    // 296 workers, of which one has been switched on.
    expect(waiting && 'fold' in waiting && waiting.kinds.map((k) => [k.kind, k.steps.length, k.done])).toEqual([
      ['power', 296, 1],
      ['images', 296, 0],
    ]);
  });
  it('show the lanes of a fold that was opened behind it', () => {
    const rows = of(20, (s) => set(s, 'w3/power', 'failed'), ['worker failed']);
    expect(named(rows).slice(4, 7)).toEqual(['worker failed: 1', 'w3', 'worker waiting: 19']);
    expect(rows.find((r) => 'lane' in r && r.lane === 'w3')).toMatchObject({ within: 'worker failed' });
  });
  it('hold every step once, however they are folded', () => {
    const steps = large(50);
    const rows = rowsOf(steps, newRun(steps), { last: 'plover', groupOf, open: new Set() });
    const ids = rows.flatMap((r) => ('fold' in r ? r.kinds.flatMap((k) => k.steps) : r.steps).map((s) => s.id));
    expect(new Set(ids).size).toBe(ids.length);
    expect(ids.length).toBe(steps.length);
  });
  it('a skipped step counts as passed', () => {
    const rows = of(13, (s) => {
      for (const k of Array.from({ length: 13 }, (_, n) => n)) {
        set(s, `w${k}/power`, 'done');
        set(s, `w${k}/images`, 'skipped');
      }
    });
    expect(named(rows)).toContain('worker done: 13');
  });
});
