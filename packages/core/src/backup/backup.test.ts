import fc from 'fast-check';
import { DateTime } from 'luxon';
import { describe, expect, it } from 'vitest';
import type { Keep } from '../model/backup.ts';
import { type Charter, kinds } from '../model/documents.ts';
import {
  clockChanges,
  offsetChanges,
  coverage,
  keptOf,
  nextTime,
  passes,
  planOf,
  rateTo,
  takenIn,
  timesAfter,
  usable,
  usableRoom,
} from './index.ts';

const ms = (text: string) => DateTime.fromISO(text, { zone: 'utc' }).toMillis();
const utc = (at: number | undefined) => (at === undefined ? undefined : new Date(at).toISOString().slice(0, 16));
const hour = 3_600_000;
const day = 24 * hour;

describe('times of a plan', () => {
  it('are those of the zone: at two in the morning, an hour earlier in summer', () => {
    expect(timesAfter('0 2 * * *', 'Europe/Berlin', ms('2027-01-10T00:00'), 2).map(utc)).toEqual([
      '2027-01-10T01:00',
      '2027-01-11T01:00',
    ]);
    expect(utc(nextTime('0 2 * * *', 'Europe/Berlin', ms('2027-07-10T00:30')))).toBe('2027-07-11T00:00');
  });
  it('come once on a day that lacks their time, when clocks are put forward, and once on one that has it twice', () => {
    // 28 March 2027: 02:00 is 03:00 at 01:00 UTC. 31 October: 03:00 is 02:00 at 01:00 UTC.
    expect(timesAfter('30 2 * * *', 'Europe/Berlin', ms('2027-03-27T12:00'), 2).map(utc)).toEqual([
      '2027-03-28T01:00',
      '2027-03-29T00:30',
    ]);
    expect(timesAfter('30 2 * * *', 'Europe/Berlin', ms('2027-10-30T12:00'), 2).map(utc)).toEqual([
      '2027-10-31T00:30',
      '2027-11-01T01:30',
    ]);
    expect(clockChanges('30 2 * * *', 'Europe/Berlin', ms('2027-01-01T00:00')).map((c) => ({ ...c, at: utc(c.at) }))).toEqual([
      { at: '2027-03-28T01:00', is: 'lacking', planned: '02:30', done: '03:00' },
      { at: '2027-10-31T00:30', is: 'twice', planned: '02:30', done: '02:30' },
    ]);
    // Day by day it is the same, wherever clocks change.
    const daily = (zone: string, from: number, until: number) => {
      const out: number[] = [];
      for (let at = from + 86_400_000; at < until; at += 86_400_000)
        if (DateTime.fromMillis(at, { zone }).offset !== DateTime.fromMillis(at - 86_400_000, { zone }).offset) out.push(at);
      return out;
    };
    for (const zone of ['Europe/Lisbon', 'America/Santiago', 'Africa/Casablanca', 'Australia/Lord_Howe', 'UTC'])
      for (const days of [1, 7, 8, 366, 800]) {
        const from = ms('2026-11-03T07:00');
        expect([zone, days, offsetChanges(zone, from, from + days * 86_400_000)]).toEqual([
          zone,
          days,
          daily(zone, from, from + days * 86_400_000),
        ]);
      }
    expect(clockChanges('30 4 * * *', 'Europe/Berlin', ms('2027-01-01T00:00'))).toEqual([]);
    expect(clockChanges('30 2 * * *', 'UTC', ms('2027-01-01T00:00'))).toEqual([]);
    expect(clockChanges('*/30 * * * *', 'Europe/Berlin', ms('2027-01-01T00:00'))).toEqual([]);
  });
  it('are none where there are none', () => {
    expect(nextTime('0 3 30 2 *', 'UTC', ms('2027-01-01T00:00'))).toBeUndefined();
  });
  it('follow one another, and each says in its zone what was planned, or clocks were put forward', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 59 }),
        fc.integer({ min: 0, max: 23 }),
        fc.constantFrom('Europe/Berlin', 'America/New_York', 'Australia/Lord_Howe', 'UTC'),
        fc.integer({ min: ms('2026-01-01T00:00'), max: ms('2030-01-01T00:00') }),
        (m, h, zone, from) => {
          const times = timesAfter(`${m} ${h} * * *`, zone, from, 400);
          expect(times).toHaveLength(400);
          for (const [i, t] of times.entries()) {
            expect(t).toBeGreaterThan(times[i - 1] ?? from);
            const at = DateTime.fromMillis(t, { zone });
            const before = at.minus({ minutes: 61 });
            if (at.hour !== h || at.minute !== m) expect(before.offset).not.toBe(at.offset);
          }
        },
      ),
      { numRuns: 20 },
    );
  });
});

describe('what is kept', () => {
  const backups = [0, 1, 2, 3, 4, 5].map((n) => ({ at: n * day }));
  it.each<[Keep, number[]]>([
    // At the end of day 5: ages 5, 4, 3, 2, 1 and 0 days.
    [{ last: 2 }, [5, 4]],
    [{ days: 3 }, [5, 4, 3]],
    [{ last: 5, days: 1 }, [5, 4, 3, 2, 1]],
  ])('is by %j', (keep, kept) => {
    expect(keptOf(backups, keep, 5 * day).kept.map((b) => b.at / day)).toEqual(kept);
  });
  it('is the newest one, however old', () => {
    expect(keptOf(backups, { days: 1 }, 400 * day).kept).toEqual([{ at: 5 * day }]);
    expect(keptOf([], { days: 1 }, 0)).toEqual({ kept: [], goes: [] });
  });
  it('does not come back: what goes once goes later too, and nothing young or new goes', () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.integer({ min: 0, max: 1000 }), { maxLength: 60 }),
        fc.record({ last: fc.integer({ min: 1, max: 20 }), days: fc.integer({ min: 1, max: 50 }) }),
        fc.integer({ min: 1000, max: 1100 }),
        fc.integer({ min: 0, max: 100 }),
        (at, keep, now, later) => {
          const all = at.map((h) => ({ at: h * hour }));
          const { kept, goes } = keptOf(all, keep, now * hour);
          expect([...kept, ...goes].sort((a, b) => a.at - b.at)).toEqual([...all].sort((a, b) => a.at - b.at));
          const then = new Set(keptOf(all, keep, (now + later) * hour).kept);
          for (const g of goes) expect(then.has(g)).toBe(false);
          expect(kept.length).toBeGreaterThanOrEqual(Math.min(all.length, keep.last));
          for (const g of goes) expect(now * hour - g.at).toBeGreaterThanOrEqual(keep.days * day);
        },
      ),
    );
  });
});

describe('room for copies', () => {
  it.each([
    // 10 in all, two of each: 5. The large one of three gives what two others can share with it.
    [[4, 4, 2], 2, 5],
    [[8, 1, 1], 2, 2],
    [[4, 4, 4], 3, 4],
    [[9, 3, 3], 3, 3],
    [[4, 4], 3, 0],
    [[5, 3], 1, 8],
  ])('of %j in %i copies is %d', (sizes, copies, t) => {
    expect(usable(sizes, copies)).toBe(t);
  });
  it('is the most that can be: T fits, and a hair more does not', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 0, max: 100 }), { minLength: 1, maxLength: 12 }),
        fc.integer({ min: 1, max: 4 }),
        (sizes, copies) => {
          const t = usable(sizes, copies);
          const fits = (x: number) => sizes.reduce((sum, s) => sum + Math.min(s, x), 0) >= copies * x - 1e-9;
          expect(fits(t)).toBe(true);
          expect(fits(t + 0.01)).toBe(false);
        },
      ),
    );
  });
  it('after a loss is what the others take, and a fifth of it is kept free', () => {
    // Three of 3,840 with three copies: 3,840. One lost, two copies on two: 3,840. A fifth free: 3,072.
    expect(usableRoom([3840, 3840, 3840], 3)).toEqual({ raw: 11_520, withCopies: 3840, afterLoss: 3840, afterReserve: 3072 });
    // Four of 1,000 with two copies: 2,000; three left: 1,500; 1,200.
    expect(usableRoom([1000, 1000, 1000, 1000], 2)).toEqual({ raw: 4000, withCopies: 2000, afterLoss: 1500, afterReserve: 1200 });
  });
});

describe('what a plan comes to', () => {
  const site = (name: string, rateMbit?: number) =>
    kinds.Site.parse({
      kind: 'Site',
      name,
      title: name,
      form: 'hall',
      reach: 'open',
      domain: `${name}.example`,
      ...(rateMbit ? { link: { rateMbit } } : {}),
    });
  const store = kinds.BackupStore.parse({
    kind: 'BackupStore',
    name: 'far-objects',
    site: 'far',
    endpoint: 'objects.far.example:9000',
    bucket: 'backups',
    credential: 'objects',
    key: 'sealing',
    rateMbit: 1000,
  });
  const estate = { sites: [site('near', 400), site('far')], backupStores: [store] };
  const charter = (backups: unknown[], volume: object = {}) =>
    ({
      name: 'plover',
      site: 'near',
      storage: [{ name: 'copies', kind: 'copies', standard: true }],
      workloads: [
        {
          name: 'ais-store',
          kind: 'StatefulSet',
          replicas: 2,
          volumes: [{ name: 'data', sizeGB: 120, changesGB: 6, access: 'one-node', ...volume }],
        },
        { name: 'plotter', kind: 'Deployment', replicas: 3, volumes: [{ name: 'cache', sizeGB: 2, access: 'many-nodes' }] },
      ],
      backups,
    }) as unknown as Charter;
  const nightly = { name: 'nightly', store: 'far-objects', at: '0 2 * * *', keep: { last: 7 } };
  const now = ms('2027-01-01T00:00');

  it('is over the slowest part of the way', () => {
    const [near, far] = estate.sites;
    expect(rateTo(store, near, far)).toEqual({ mbit: 400, by: 'the link of near' });
    expect(rateTo(store, far, far)).toEqual({ mbit: 1000, by: 'far-objects' });
    // 120 GB are 960,000 Mbit: at 400 Mbit/s 2,400 s.
    expect(passes(120, 400)).toBe(2_400_000);
  });
  it('is a loss of a day and of the time that the next one takes, and as much in the store as seven of them have', () => {
    const [first, second, cache] = coverage(charter([nightly]), estate, now);
    expect([first?.name, second?.name, cache?.name]).toEqual(['ais-store/data-0', 'ais-store/data-1', 'plotter/cache']);
    // 6 GB change in the 24 h between two: 48,000 Mbit at 400 Mbit/s, 120 s.
    expect(first).toMatchObject({ first: 2_400_000, later: 120_000, loses: 24 * hour + 120_000, back: 2_400_000, count: 7 });
    // Whole once, and six days of 6 GB: 156 GB.
    expect(first?.storeGB).toBeCloseTo(156, 9);
    // Of the cache a twentieth is taken: 0.1 GB a day.
    expect(cache).toMatchObject({ changesGB: 0.1, said: false });
    // 2 × 156 and 2 + 6 × 0.1.
    expect(takenIn(store, { ...estate, charters: [charter([nightly])] }, now)).toEqual([
      { charter: 'plover', gb: expect.closeTo(314.6, 6) },
    ]);
  });
  it('counts the longest time between two: from Friday to Monday, and the day of 25 hours', () => {
    const week = { ...nightly, at: '0 2 * * 1-5' };
    // Three days; 18 GB change meanwhile: 144,000 Mbit at 400 Mbit/s, 360 s.
    expect(coverage(charter([week]), estate, now)[0]?.loses).toBe(3 * day + 360_000);
    const there = { ...estate, sites: estate.sites.map((s) => ({ ...s, timezone: 'Europe/Berlin' })) };
    // 25 h; 6.25 GB: 125 s.
    expect(coverage(charter([nightly]), there, now)[0]?.loses).toBe(25 * hour + 125_000);
  });
  it('counts the night of an hour more also where it runs every six hours', () => {
    const there = { ...estate, sites: estate.sites.map((s) => ({ ...s, timezone: 'Europe/Lisbon' })) };
    // From 00:30 to 06:30 on 31 October 2027 are seven hours; 1.75 GB change in them: 14,000 Mbit at 400 Mbit/s, 35 s.
    expect(coverage(charter([{ ...nightly, at: '30 0,6,12,18 * * *' }]), there, now)[0]?.loses).toBe(7 * hour + 35_000);
  });
  it('never sends more than there is', () => {
    expect(coverage(charter([{ ...nightly, at: '0 2 1 * *' }]), estate, now)[0]?.later).toBe(2_400_000);
  });
  it('keeps by days what is planned by the hour, also for longer than is looked at', () => {
    // Every hour for two days: 48. For 200 days: 4,800.
    const count = (days: number) => coverage(charter([{ ...nightly, at: '0 * * * *', keep: { days } }]), estate, now)[0]?.count;
    expect([count(2), count(200)]).toEqual([48, 4800]);
  });
  it('goes by the plan that names a volume, else by the one that names none', () => {
    const hourly = { ...nightly, name: 'hourly', at: '0 * * * *', volumes: ['ais-store/data'] };
    const both = charter([nightly, hourly]);
    expect([planOf(both, 'ais-store/data')?.name, planOf(both, 'plotter/cache')?.name]).toEqual(['hourly', 'nightly']);
    expect(planOf(charter([hourly]), 'plotter/cache')).toBeUndefined();
    expect(coverage(charter([hourly]), estate, now)[2]).toMatchObject({ plan: undefined, loses: undefined, storeGB: 0 });
  });
  it('is not known where no rate and no store is', () => {
    const { rateMbit: _, ...slow } = store;
    const unknown = { sites: [site('near'), site('far')], backupStores: [slow as typeof store] };
    expect(coverage(charter([nightly]), unknown, now)[0]).toMatchObject({ first: undefined, back: undefined, loses: 24 * hour });
    expect(coverage(charter([{ ...nightly, store: 'nowhere' }]), estate, now)[0]?.count).toBe(0);
  });
});
