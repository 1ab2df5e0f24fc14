import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type BuildEvent, ended, fold, newBuild, ready, type Step, timeline } from './index.ts';

const step = (id: string, after: string[] = [], p50 = 60): Step => ({
  id,
  lane: id.split('/')[0] ?? id,
  kind: 'system',
  title: id,
  after,
  p50,
  p90: p50 * 2,
});
const steps = [step('a'), step('b', ['a']), step('c', ['a'], 120), step('d', ['b', 'c'])];
const at = (s: number) => new Date(Date.UTC(2026, 10, 23, 12, 0, s)).toISOString();
const run = (...events: BuildEvent[]) => events.reduce(fold, newBuild(steps));
const begun: BuildEvent = { at: at(0), kind: 'begun' };

describe('a build is the fold of its events', () => {
  it('starts what everything before it allows', () => {
    expect(ready(steps, newBuild(steps))).toEqual([]);
    expect(ready(steps, run(begun)).map((s) => s.id)).toEqual(['a']);
    expect(
      ready(steps, run(begun, { at: at(1), kind: 'started', step: 'a' }, { at: at(2), kind: 'succeeded', step: 'a' })).map(
        (s) => s.id,
      ),
    ).toEqual(['b', 'c']);
  });
  it('ends with a failure only when nothing else can go on, and resumes at the broken step', () => {
    const broken = run(
      begun,
      { at: at(1), kind: 'started', step: 'a' },
      { at: at(2), kind: 'succeeded', step: 'a' },
      { at: at(3), kind: 'started', step: 'b' },
      { at: at(4), kind: 'failed', step: 'b', text: 'no power', remedy: 'look' },
    );
    expect(ended(steps, broken)).toBe(false); // c can still run
    const over = [
      { at: at(5), kind: 'started', step: 'c' },
      { at: at(6), kind: 'succeeded', step: 'c' },
      { at: at(7), kind: 'finished' },
    ].reduce((s, e) => fold(s, e as BuildEvent), broken);
    expect(over.state).toBe('failed');
    const again = fold(over, { at: at(8), kind: 'resumed' });
    expect(ready(steps, again).map((s) => s.id)).toEqual(['b']);
    expect(again.steps.c?.state).toBe('done');
  });
  it('runs again what was cut off, and keeps what healed', () => {
    const cut = run(
      begun,
      { at: at(1), kind: 'started', step: 'a' },
      { at: at(2), kind: 'healed', step: 'a', text: 'timed out once' },
      { at: at(3), kind: 'resumed' },
      { at: at(4), kind: 'started', step: 'a' },
    );
    expect(cut.steps.a).toMatchObject({ state: 'running', attempt: 2, healed: ['timed out once'] });
  });
  it('starts nothing while it holds', () => {
    expect(ready(steps, run(begun, { at: at(1), kind: 'held' }))).toEqual([]);
    expect(ready(steps, run(begun, { at: at(1), kind: 'held' }, { at: at(2), kind: 'released' })).map((s) => s.id)).toEqual([
      'a',
    ]);
  });
  it('bears any events in any order without breaking', () => {
    const event = fc.oneof(
      fc
        .constantFrom('begun', 'held', 'released', 'stopped', 'resumed', 'finished')
        .map((kind) => ({ at: at(1), kind }) as BuildEvent),
      fc
        .tuple(fc.constantFrom('started', 'succeeded', 'failed', 'healed', 'progress'), fc.constantFrom('a', 'b', 'c', 'd', 'x'))
        .map(([kind, s]) => ({ at: at(1), kind, step: s, text: '', done: 1, of: 2 }) as BuildEvent),
    );
    fc.assert(
      fc.property(fc.array(event, { maxLength: 40 }), (events) => {
        const s = events.reduce(fold, newBuild(steps));
        expect(Object.keys(s.steps)).toEqual(['a', 'b', 'c', 'd']);
        for (const r of ready(steps, s)) expect(r.after.every((x) => s.steps[x]?.state === 'done')).toBe(true);
      }),
    );
  });
});

describe('the time line', () => {
  it('adds up the chain that decides the end', () => {
    // a 60 + c 120 + d 60 = 240 s; b (60 s) is not on it
    const t = timeline(steps, run(begun), Date.parse(at(0)));
    expect((t.end - t.start) / 1000).toBe(240);
    expect(t.bars.filter((b) => b.deciding).map((b) => b.id)).toEqual(['a', 'c', 'd']);
    // p90 − p50 = 60, 120, 60 s; at 1.28 σ: √(60² + 120² + 60²) / 1.28 = 114.8 s
    expect(t.within / 1000).toBeCloseTo(114.8, 1);
  });
  it('goes by the pace of this build', () => {
    // a took 6 s instead of 60: a tenth; c and d are left: (120 + 60) / 10 = 18 s from now
    const t = timeline(
      steps,
      run(begun, { at: at(0), kind: 'started', step: 'a' }, { at: at(6), kind: 'succeeded', step: 'a' }),
      Date.parse(at(6)),
    );
    expect(t.pace).toBeCloseTo(0.1);
    expect((t.end - Date.parse(at(6))) / 1000).toBeCloseTo(18);
  });
  it('goes by the count of a running step', () => {
    // 30 of 90 after 10 s: 30 s in all
    const t = timeline(
      steps,
      run(begun, { at: at(0), kind: 'started', step: 'a' }, { at: at(10), kind: 'progress', step: 'a', done: 30, of: 90 }),
      Date.parse(at(10)),
    );
    expect((t.bars[0]?.end ?? 0) - Date.parse(at(0))).toBe(30_000);
  });
});
