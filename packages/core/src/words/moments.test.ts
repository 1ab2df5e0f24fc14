import { describe, expect, it } from 'vitest';
import { clockText, dayText, momentText } from './moments.ts';

describe('a moment by the clock of a site', () => {
  it.each([
    // The clocks of Lisbon go forward at 01:00 UTC on 29 March 2026, those of New York back at 06:00 UTC on 1 November.
    ['2026-03-29T00:59:00Z', 'Europe/Lisbon', '29 Mar 2026, 00:59'],
    ['2026-03-29T01:00:00Z', 'Europe/Lisbon', '29 Mar 2026, 02:00'],
    ['2026-11-01T05:59:00Z', 'America/New_York', '1 Nov 2026, 01:59'],
    ['2026-11-01T06:00:00Z', 'America/New_York', '1 Nov 2026, 01:00'],
    ['2026-12-31T15:00:00Z', 'Asia/Tokyo', '1 Jan 2027, 00:00'],
  ])('%s in %s is %s', (at, zone, text) => {
    expect(momentText(at, zone)).toBe(text);
    expect(text).toBe(`${dayText(at, zone)}, ${clockText(at, zone)}`);
  });
});
