import { describe, expect, it } from 'vitest';
import { quantile } from '../words/quantile.ts';
import { compared, newRun, type RunStatus, slowerSince, type Step, timesOf } from './index.ts';

const step = (lane: string, kind: Step['kind']): Step => ({
  id: `${lane}/${kind}`,
  lane,
  kind,
  title: kind,
  host: lane,
  after: [],
  p50: 60,
  p90: 120,
});
/** A run in which steps took so many seconds; undefined: not done. */
function ran(times: [lane: string, kind: Step['kind'], seconds: number | undefined][]): { steps: Step[]; status: RunStatus } {
  const steps = times.map(([lane, kind]) => step(lane, kind));
  const status = newRun(steps);
  const at = (s: number) => new Date(Date.UTC(2026, 10, 23, 9, 0, 0) + s * 1000).toISOString();
  for (const [lane, kind, seconds] of times)
    if (seconds !== undefined)
      Object.assign(status.steps[`${lane}/${kind}`] as object, { state: 'done', started: at(0), ended: at(seconds) });
  return { steps, status };
}

describe('two builds side by side', () => {
  const monday = ran([
    ['lr-01', 'images', 100],
    ['lr-02', 'images', 120],
    ['lr-03', 'images', 110],
    ['lr-01', 'system', 50],
  ]);
  const friday = ran([
    ['lr-01', 'images', 300],
    ['lr-02', 'images', 340],
    ['lr-04', 'images', 330],
    ['lr-01', 'system', 40],
    ['lr-02', 'system', undefined],
  ]);
  it('say what took longer first, by the median of its kind', () => {
    const { kinds } = compared(friday, monday);
    // images: 330 against 110 s, three times as long; system: 40 against 50 s
    expect(kinds.map((k) => [k.kind, k.one?.median, k.other?.median, k.ratio])).toEqual([
      ['images', 330, 110, 3],
      ['system', 40, 50, 0.8],
    ]);
    expect(kinds[0]?.one).toMatchObject({ count: 3, most: 340 });
  });
  it('match steps by what they are and on which host; what one has not stands alone', () => {
    const { steps } = compared(friday, monday);
    const of = (lane: string) => steps.find((s) => s.lane === lane && s.kind === 'images');
    expect([of('lr-01')?.one, of('lr-01')?.other]).toEqual([300, 100]);
    expect([of('lr-04')?.one, of('lr-04')?.other]).toEqual([330, undefined]);
    expect([of('lr-03')?.one, of('lr-03')?.other]).toEqual([undefined, 110]);
  });
  it('of a step that has not come to a good end nothing is said', () => {
    expect(timesOf(friday).find((k) => k.kind === 'system')?.count).toBe(1);
  });
});

describe('since when it is slower', () => {
  it.each<[string, number[], number | undefined]>([
    ['three times as long from the fourth on', [100, 110, 95, 300, 320, 290], 3],
    ['it only varies', [100, 130, 90, 120, 100, 125], undefined],
    ['one that was slow, and good again after it', [100, 110, 400, 105, 100], undefined],
    ['faster', [300, 310, 100, 110], undefined],
    ['two before and two after are needed', [100, 300, 310], undefined],
    ['slower twice: from where it matters most', [100, 100, 130, 130, 400, 410], 4],
  ])('%s', (_, history, at) => {
    expect(slowerSince(history)).toBe(at);
  });
});

it('a quantile lies between its neighbours in proportion', () => {
  expect([quantile([1, 2, 3, 4], 0.5), quantile([10, 20], 0.9), quantile([7], 0.1)]).toEqual([2.5, 19, 7]);
  expect(() => quantile([], 0.5)).toThrow(RangeError);
});
