import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { clock, clockSeconds, day, span, utc } from './time.ts';

beforeEach(() => {
  vi.useFakeTimers();
  vi.setSystemTime('2026-11-23T08:02:00Z');
});
afterEach(() => {
  vi.useRealTimers();
});

describe('times', () => {
  it.each([
    ['2026-11-23T08:02:41Z', 'Asia/Tokyo', '17:02', '17:02:41'],
    ['2026-11-23T08:02:41Z', 'Europe/Lisbon', '08:02', '08:02:41'],
    // Clocks went back in New York on 1 November 2026: an hour later the same day reads otherwise.
    ['2026-11-01T05:30:00Z', 'America/New_York', '01:30', '01:30:00'],
    ['2026-11-01T06:30:00Z', 'America/New_York', '01:30', '01:30:00'],
    ['2026-11-01T07:30:00Z', 'America/New_York', '02:30', '02:30:00'],
    ['2026-11-23T00:00:00Z', 'UTC', '00:00', '00:00:00'],
  ])('%s in %s is %s', (at, zone, minutes, seconds) => {
    expect(clock(at, zone)).toBe(minutes);
    expect(clockSeconds(Date.parse(at), zone)).toBe(seconds);
  });
  it('a day has its year where that is another one', () => {
    expect(day('2026-12-06T12:00:00Z')).toBe('6 Dec');
    expect(day('2027-12-29T12:00:00Z')).toBe('29 Dec 2027');
  });
  it('the exact moment is in UTC, and says so', () => {
    expect(utc('2026-11-23T09:02:00+01:00')).toBe('2026-11-23 08:02:00 UTC');
  });
  it.each([
    [0, '0 s'],
    [-500, '0 s'],
    [41_400, '41 s'],
    [99_499, '99 s'],
    [99_500, '1 min 40 s'],
    [385_000, '6 min 25 s'],
    [360_000, '6 min'],
    [725_000, '12 min'],
    [3_600_000, '1 h 0 min'],
    [4_320_000, '1 h 12 min'],
  ])('%i ms are %s', (ms, text) => {
    expect(span(ms)).toBe(text);
  });
});
