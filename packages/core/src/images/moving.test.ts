import { describe, expect, it } from 'vitest';
import { isOpen, opening, timeToMove, staysWithin } from './index.ts';

describe('time to move', () => {
  it('is bytes over rate, to the minute', () => {
    // 600 Mbit/s = 75 MB/s; 5.7 GB ÷ 75 MB/s = 76 s, rounded up to the minute
    expect(timeToMove(5.7e9, { rateMbit: 600 }, 'UTC', '2026-11-23T14:00:00Z')).toEqual({
      end: '2026-11-23T14:02:00.000Z',
      openings: [{ from: '2026-11-23T14:00:00.000Z', to: '2026-11-23T14:02:00.000Z', bytes: 5.7e9 }],
      minutes: 2,
    });
  });
  it('uses only the permitted hours, night after night', () => {
    // 8 Mbit/s = 1 MB/s; 4 h = 14,400 s = 14.4 GB a night; 20 GB: one night and 5.6 GB = 5,600 s = 93 min 20 s of the next
    const m = timeToMove(20e9, { rateMbit: 8, hours: '01:00-05:00' }, 'UTC', '2026-11-23T12:00:00Z');
    expect(m).toEqual({
      end: '2026-11-25T02:34:00.000Z',
      openings: [
        { from: '2026-11-24T01:00:00.000Z', to: '2026-11-24T05:00:00.000Z', bytes: 14.4e9 },
        { from: '2026-11-25T01:00:00.000Z', to: '2026-11-25T02:34:00.000Z', bytes: 5.6e9 },
      ],
      minutes: 334,
    });
  });
  it('begins in what is left of an opening, and one may lie over midnight', () => {
    const m = timeToMove(1e9, { rateMbit: 8, hours: '22:00-04:00' }, 'UTC', '2026-11-24T03:50:00Z');
    // ten minutes are left: 600 MB; the other 400 MB = 400 s from 22:00 on
    expect(m.openings.map((o) => [o.from, o.to, o.bytes])).toEqual([
      ['2026-11-24T03:50:00.000Z', '2026-11-24T04:00:00.000Z', 600e6],
      ['2026-11-24T22:00:00.000Z', '2026-11-24T22:07:00.000Z', 400e6],
    ]);
  });
  it('follows the clocks of the site when they change', () => {
    // Lisbon, 28 March 2027: 01:00 becomes 02:00. 01:00 to 05:00 by the wall is three hours that night, from 01:00 UTC to 04:00 UTC
    const o = timeToMove(10.8e9, { rateMbit: 8, hours: '01:00-05:00' }, 'Europe/Lisbon', '2027-03-27T12:00:00Z');
    expect(o.openings).toEqual([{ from: '2027-03-28T01:00:00.000Z', to: '2027-03-28T04:00:00.000Z', bytes: 10.8e9 }]);
  });
  it('opens when the clock skips the time that it should open at, not an hour later', () => {
    // Lisbon, 28 March 2027: the clock goes from 01:00 to 02:00 at 01:00 UTC; 01:30 is not on it. Opens at 02:00 = 01:00 UTC.
    const at = '2027-03-27T12:00:00Z';
    expect(opening('01:30-05:00', 'Europe/Lisbon', at)).toEqual({
      from: '2027-03-28T01:00:00.000Z',
      to: '2027-03-28T04:00:00.000Z',
    });
    // Oslo: 02:00 becomes 03:00 at 01:00 UTC; 02:30 is skipped
    expect(opening('02:30-03:30', 'Europe/Oslo', at)).toEqual({
      from: '2027-03-28T01:00:00.000Z',
      to: '2027-03-28T01:30:00.000Z',
    });
    // What ends in the skipped hour ends with the skip.
    expect(opening('01:00-02:30', 'Europe/Oslo', at)).toEqual({
      from: '2027-03-28T00:00:00.000Z',
      to: '2027-03-28T01:00:00.000Z',
    });
    // The night after, it opens as written: 02:30 in Oslo is 00:30 UTC by then
    expect(opening('02:30-03:30', 'Europe/Oslo', '2027-03-28T12:00:00Z').from).toBe('2027-03-29T00:30:00.000Z');
  });
  it('is never, where it would take longer than anybody waits', () => {
    expect(timeToMove(1e18, { rateMbit: 1, hours: '01:00-01:01' }, 'UTC', '2026-11-23T12:00:00Z').end).toBeUndefined();
  });
  it('of nothing is now', () => {
    expect(timeToMove(0, { rateMbit: 8, hours: '01:00-05:00' }, 'UTC', '2026-11-23T12:00:00Z')).toMatchObject({
      end: '2026-11-23T12:00:00.000Z',
      openings: [],
    });
  });
});

describe('permitted hours', () => {
  it('say whether they are now, and when that changes', () => {
    const way = { rateMbit: 8, hours: '01:00-05:00' };
    expect(isOpen(way, 'UTC', '2026-11-23T04:59:59Z')).toEqual({ open: true, until: '2026-11-23T05:00:00.000Z' });
    expect(isOpen(way, 'UTC', '2026-11-23T05:00:00Z')).toEqual({ open: false, until: '2026-11-24T01:00:00.000Z' });
    expect(isOpen({ rateMbit: 8 }, 'UTC', '2026-11-23T05:00:00Z')).toEqual({ open: true });
  });
  it.each([
    ['1-5', 'UTC'],
    ['01:00-05:00', 'Nowhere/At-All'],
  ])('%s in %s are refused', (hours, zone) => {
    expect(() => opening(hours, zone, '2026-11-23T12:00:00Z')).toThrow();
  });
});

describe('a shipment stays within a site', () => {
  it.each([
    ['starter', 'lr', 'lr', true],
    ['standing', 'lr', 'lr', true],
    ['starter', 'lr', 'bw', false],
    // A source stands outside, wherever it is declared to be reached from.
    ['source', 'bw', 'bw', false],
  ] as const)('from a %s at %s to %s: %s', (role, from, to, within) => {
    expect(staysWithin({ role, site: from }, { site: to })).toBe(within);
  });
});
