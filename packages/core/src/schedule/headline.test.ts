import { describe, expect, it } from 'vitest';
import {
  behindFailed,
  type RunEvent,
  type RunStatus,
  failedSteps,
  fold,
  headline,
  newRun,
  type Step,
  summaryOf,
  underWay,
} from './index.ts';

const step = (lane: string, title: string): Step => ({
  id: `${lane}/${title}`,
  lane,
  kind: 'system',
  title,
  after: [],
  p50: 1,
  p90: 2,
});
const steps = [step('lr-01', 'power'), step('lr-02', 'first boot'), step('lr-03', 'images')];
const at = '2026-11-27T02:00:00.000Z';
const after = (...events: object[]) =>
  [{ kind: 'begun' }, ...events].reduce<RunStatus>((s, e) => fold(s, { at, ...e } as RunEvent), newRun(steps));
const fails = (id: string) => [
  { kind: 'started', step: id },
  { kind: 'failed', step: id, text: 'no power' },
];
const line = (s: ReturnType<typeof after>) => headline(summaryOf(steps, s), '22:04', '21:58–22:12');

describe('the headline of a build', () => {
  it('has the expected end while all goes well', () => {
    expect(line(after())).toBe('ends about 22:04 (21:58–22:12)');
  });
  it('leaves the interval out where it is too short to say', () => {
    expect(headline(summaryOf(steps, after()), '22:04', '')).toBe('ends about 22:04');
  });
  it('says first what failed, and that the end is only known not to be earlier', () => {
    expect(line(after(...fails('lr-02/first boot')))).toBe('lr-02 first boot failed · ends not before 22:04');
    expect(line(after(...fails('lr-03/images'), ...fails('lr-01/power')))).toBe(
      '2 steps failed, first lr-01 power · ends not before 22:04',
    );
  });
  it('says that it is paused', () => {
    expect(line(after({ kind: 'paused' }))).toBe('paused · ends not before 22:04');
    expect(line(after(...fails('lr-01/power'), { kind: 'paused' }))).toBe('lr-01 power failed · paused · ends not before 22:04');
  });
  it('knows what cannot start behind it, however far', () => {
    const chain = [{ ...step('c', '3'), after: ['b/2'] }, { ...step('b', '2'), after: ['a/1'] }, step('a', '1'), step('d', '4')];
    const broken = [{ kind: 'begun' }, ...fails('a/1')].reduce<RunStatus>(
      (s, e) => fold(s, { at, ...e } as RunEvent),
      newRun(chain),
    );
    expect([...behindFailed(chain, broken)].sort()).toEqual(['b/2', 'c/3']);
    expect(behindFailed(chain, newRun(chain)).size).toBe(0);
  });
  it('forgets a failure that is tried again', () => {
    const again = after(...fails('lr-01/power'), { kind: 'retried', step: 'lr-01/power' });
    expect([failedSteps(steps, again), again.steps['lr-01/power']?.state, underWay(again)]).toEqual([[], 'waiting', true]);
    // Only what failed is begun again by that.
    const runs = after({ kind: 'started', step: 'lr-01/power' }, { kind: 'retried', step: 'lr-01/power' });
    expect(runs.steps['lr-01/power']?.state).toBe('running');
  });
});
