import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { Clock } from './clock.ts';

beforeEach(() => void vi.useFakeTimers({ now: 1_000_000 }));
afterEach(() => void vi.useRealTimers());

it('a clock shows what has passed at each of its speeds, and what was before stays as it was', () => {
  const c = new Clock(60);
  vi.advanceTimersByTime(10_000);
  c.setSpeed(2);
  vi.advanceTimersByTime(5000);
  // 10 s at 60, and 5 s at 2.
  expect([c.at(), c.since(1_000_000), c.since(1_010_000)]).toEqual([1_000_000 + 600_000 + 10_000, 610, 10]);
  // 605 s after the beginning are 2.5 s after the turn; 30 s are half a second of the wall clock.
  expect([c.after(1_000_000, 605), c.after(1_000_000, 30)]).toEqual([1_012_500, 1_000_500]);
});
