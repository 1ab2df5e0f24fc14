import { describe, expect, it } from 'vitest';
import {
  type Estimate,
  expectedEnd,
  fasterText,
  fold,
  learned,
  newRun,
  nothingKnown,
  type RunEvent,
  type Step,
  type StepKind,
  timeline,
  type Took,
  worthSpeedingUp,
  z90,
} from './index.ts';

const took = (seconds: number, more: Partial<Took> = {}): Took => ({
  kind: 'system',
  model: 'HW-220',
  size: 1,
  seconds,
  run: 1,
  ...more,
});
const many = (list: number[], more: Partial<Took> = {}) => list.map((s, n) => took(s, { run: n, ...more }));

describe('how long a step takes', () => {
  it('is as usual while there are fewer than three of its kind', () => {
    expect(learned(many([100, 100]))('system')).toEqual(nothingKnown('system'));
    expect(learned([])('images')).toEqual({ p50: 480, p90: 900 });
  });
  it('is what it took here, with as much spread', () => {
    // e^4 to e^5: the median is e^4.5 = 90 s. Rests ±0.5, ±0.25, 0 → sd √(0.625 / 4) = 0.395, and once more √(1 + 1/5).
    const known = learned(many([4, 4.25, 4.5, 4.75, 5].map((x) => Math.exp(x))))('system', { model: 'HW-220' });
    expect(known.p50).toBeCloseTo(Math.exp(4.5), 6);
    expect(known.p90).toBeCloseTo(Math.exp(4.5 + z90 * Math.sqrt(0.625 / 4) * Math.sqrt(1.2)), 6);
  });
  it('goes by the model of its machine, the more the more of them were seen', () => {
    const history = [...many(Array(10).fill(100)), ...many(Array(6).fill(300), { model: 'HW-90' })];
    const known = learned(history);
    // Six of that model weigh against two of all: 100 × 3 ^ (6 / 8).
    expect(known('system', { model: 'HW-90' }).p50).toBeCloseTo(100 * 3 ** 0.75, 6);
    expect(known('system', { model: 'HW-220' }).p50).toBeCloseTo(100, 6);
    expect(known('system', { model: 'unseen' }).p50).toBeCloseTo(100, 6);
  });
  it('grows with what there is to do, where it did so here', () => {
    // 60 s for each unit: 60, 120, 240, 480, twice.
    const sizes = [1, 2, 4, 8, 1, 2, 4, 8];
    const known = learned(sizes.map((size, run) => took(60 * size, { kind: 'images', size, run })));
    expect(known('images', { model: 'HW-220', size: 6 }).p50).toBeCloseTo(360, 3);
    // What takes as long whatever there is to do does not grow.
    const flat = learned(sizes.map((size, run) => took(60, { size, run })));
    expect(flat('system', { model: 'HW-220', size: 64 }).p50).toBeCloseTo(60, 6);
    // Of seven nobody can tell.
    const few = learned(sizes.slice(1).map((size, run) => took(60 * size, { kind: 'images', size, run })));
    expect(few('images', { model: 'HW-220', size: 64 }).p50).toBeCloseTo(240, 6);
  });
  it('a model that is slow and has much to do says nothing of the size', () => {
    const history = [...many(Array(8).fill(100), { size: 1 }), ...many(Array(8).fill(400), { model: 'HW-90', size: 4 })];
    const known = learned(history);
    expect(known('system', { model: 'HW-220', size: 4 })).toEqual(known('system', { model: 'HW-220', size: 1 }));
    // In the middle of all is 200 s; eight of the model against two of all: 200 / 2 ^ (8 / 10).
    expect(known('system', { model: 'HW-220' }).p50).toBeCloseTo(200 / 2 ** 0.8, 6);
  });
  it('has in common with the other steps of a run what runs differ by', () => {
    // Runs that are all of them a half slower or quicker; their steps differ by a twentieth.
    const history = [0, 1, 2, 3, 4, 5].flatMap((run) =>
      [-0.05, 0, 0.05, 0].map((own) => took(100 * Math.exp((run % 2 ? 0.4 : -0.4) + own), { run })),
    );
    const common = learned(history)('system', { model: 'HW-220' }).common ?? 0;
    // The means of the runs are ±0.4: their standard deviation is 0.4 × √(6 / 5) = 0.438. All spread there is: √(24 × 0.1613 / 23) × √(1 + 1 / 24) = 0.419; it is not more.
    expect(common).toBeCloseTo(0.419, 3);
    expect(learned(many([90, 100, 110]))('system').common).toBeUndefined();
  });
});

const step = (id: string, more: Partial<Step> = {}, e: Estimate = { p50: 600, p90: 900 }): Step => ({
  id,
  lane: id,
  kind: 'system' as StepKind,
  title: 'system',
  after: [],
  ...e,
  ...more,
});
const at = (s: number) => new Date(s * 1000).toISOString();

describe('when a run ends', () => {
  const minutes = (x: { from: number; middle: number; to: number }) => [x.from, x.middle, x.to].map((ms) => ms / 60_000);
  it('of one step: its median, and the tenths on both sides of it', () => {
    const one = [step('a')];
    const [from = 0, middle = 0, to = 0] = minutes(expectedEnd(one, newRun(one), 0, 4000));
    // 10 min; 10 × 10 / 15 = 6.67 and 15 min.
    expect(middle).toBeCloseTo(10, 0);
    expect(from).toBeCloseTo(6.67, 0);
    expect(to).toBeCloseTo(15, 0);
  });
  it('of many side by side the slowest decides: it lies behind the usual course', () => {
    const lanes = Array.from({ length: 50 }, (_, n) => step(`h${n}`));
    const ends = expectedEnd(lanes, newRun(lanes), 0, 2000);
    expect(timeline(lanes, newRun(lanes), 0).end).toBe(600_000);
    // The median of the most of 50: the quantile 0.5^(1/50) = 0.9862 is 2.206 standard deviations: 600 × 1.5^(2.206 / 1.2816) s.
    expect(ends.middle / 1000).toBeGreaterThan(600 * 1.5 ** (2.1 / z90));
    expect(ends.middle / 1000).toBeLessThan(600 * 1.5 ** (2.3 / z90));
  });
  it('what steps have in common does not even out', () => {
    const chain = (common: number) =>
      Array.from({ length: 30 }, (_, n) => step(`s${n}`, { after: n ? [`s${n - 1}`] : [], common }));
    const width = (list: Step[]) => {
      const e = expectedEnd(list, newRun(list), 0, 1000);
      return (e.to - e.from) / e.middle;
    };
    expect(width(chain(0))).toBeLessThan(0.2);
    expect(width(chain(0.3))).toBeGreaterThan(0.6);
  });
  it('is known the better the more of the run is seen', () => {
    const list = Array.from({ length: 20 }, (_, n) => step(`s${n}`, { after: n ? [`s${n - 1}`] : [], common: 0.25 }));
    const events: RunEvent[] = [{ at: at(0), kind: 'begun' }];
    for (let n = 0; n < 10; n++)
      // A quarter quicker than usual: 450 s each.
      events.push(
        { at: at(450 * n), kind: 'started', step: `s${n}` },
        { at: at(450 * (n + 1)), kind: 'succeeded', step: `s${n}` },
      );
    const half = events.reduce(fold, newRun(list));
    const [before, after] = [expectedEnd(list, newRun(list), 0), expectedEnd(list, half, 4_500_000)];
    expect(after.to - after.from).toBeLessThan((before.to - before.from) / 2);
    // Ten more at that pace: 9,000 s.
    expect(Math.abs(after.middle / 1000 - 9000)).toBeLessThan(500);
  });
  it('is the same at every call', () => {
    const list = [step('a'), step('b')];
    expect(expectedEnd(list, newRun(list), 0)).toEqual(expectedEnd(list, newRun(list), 0));
  });
});

describe('what is worth speeding up', () => {
  it('is what decides the end: by half the time, or by twice as many places', () => {
    const shares = { limit: 'registry', of: 'lr-registry', room: 1 } as const;
    const list = [
      step('a/system'),
      step('b/system'),
      step('a/images', { kind: 'images', title: 'images', after: ['a/system'], shares }, { p50: 1200, p90: 1300 }),
      step('b/images', { kind: 'images', title: 'images', after: ['b/system'], shares }, { p50: 1200, p90: 1300 }),
      step('quick', { kind: 'names', title: 'names' }, { p50: 20, p90: 30 }),
    ];
    // 600 + 2 × 1200 = 3000 s. Images in half the time: 600 + 1200. Two places: 600 + 1200. System in half the time: 300 + 2400.
    expect(worthSpeedingUp(list, newRun(list), 0).map((f) => [fasterText(f), f.saves])).toEqual([
      ['each “images” in half the time', 1200],
      ['2 at once instead of 1 at registry lr-registry', 1200],
      ['each “system” in half the time', 300],
    ]);
  });
  it('is nothing of what is done', () => {
    const list = [step('a'), step('b', { kind: 'images', title: 'images', after: ['a'] })];
    const status = [
      { at: at(0), kind: 'begun' },
      { at: at(0), kind: 'started', step: 'a' },
      { at: at(600), kind: 'succeeded', step: 'a' },
    ].reduce((s, e) => fold(s, e as RunEvent), newRun(list));
    expect(worthSpeedingUp(list, status, 600_000).map(fasterText)).toEqual(['each “images” in half the time']);
  });
});
