import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { zoneFor } from '../state/zone.ts';
import { clock, clockSeconds, date, day, setZone, span, utc, when, zoneName } from './time.ts';

beforeEach(() => {
  vi.useFakeTimers();
  vi.setSystemTime('2026-11-23T08:02:00Z');
});
afterEach(() => {
  setZone(undefined);
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
  // 15:30 UTC on 31 December is already next year in Tokyo; in Lisbon and New York it is the old one.
  it.each([
    ['Asia/Tokyo', '1 Jan 2027', '1 Jan 2027', '1 Jan 2027 00:30'],
    ['Europe/Lisbon', '31 Dec', '31 Dec 2026', '31 Dec 15:30'],
    ['America/New_York', '31 Dec', '31 Dec 2026', '31 Dec 10:30'],
  ])('the last evening of the year in %s', (zone, short, whole, both) => {
    setZone(zone);
    const at = '2026-12-31T15:30:00Z';
    expect([day(at), date(at), when(at), zoneName()]).toEqual([short, whole, both, zone]);
  });
  // It is 08:02 UTC on 23 November: 17:02 in Tokyo, 03:02 in New York. An hour before midnight UTC is another day in Tokyo.
  it.each([
    ['Asia/Tokyo', '2026-11-22T23:00:00Z', '08:00'],
    ['Europe/Lisbon', '2026-11-22T23:00:00Z', '22 Nov 23:00'],
    ['America/New_York', '2026-11-23T04:00:00Z', '22 Nov 23:00'],
    ['America/New_York', '2026-11-23T05:00:00Z', '00:00'],
  ])('today in %s begins with its own midnight: %s is %s', (zone, at, text) => {
    expect(when(at, zone)).toBe(text);
  });
  // Clocks go forward in Lisbon at 01:00 UTC on 28 March 2027, and 01:30 does not exist there that night.
  it('a night in which clocks go forward has no hour twice, and one too few', () => {
    setZone('Europe/Lisbon');
    expect([0, 30, 60, 90].map((m) => clock(Date.UTC(2027, 2, 28, 0, 30) + m * 60_000))).toEqual([
      '00:30',
      '02:00',
      '02:30',
      '03:00',
    ]);
  });
  it('speak the zone of the site in scope; of all sites where they share one; else UTC', () => {
    const sites = [
      { name: 'lr', timezone: 'Europe/Lisbon' },
      { name: 'ty', timezone: 'Asia/Tokyo' },
    ];
    expect([zoneFor(sites, 'ty'), zoneFor(sites, ''), zoneFor(sites.slice(0, 1), ''), zoneFor([], '')]).toEqual([
      'Asia/Tokyo',
      'UTC',
      'Europe/Lisbon',
      'UTC',
    ]);
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
