import { describe, expect, it } from 'vitest';
import { goodEstate, host } from '../../test/estate.ts';
import type { Estate } from '../model/estate.ts';
import { clusterFilter, type ClusterRow, clusterRows, completeCluster } from './rows.ts';

/** Plover with three hosts that serve and one that is held; and four clusters that differ from it by what is said. */
const base = goodEstate();
const plover = base.charters[0];
if (!plover) throw new Error('no charter');
const serving = (n: number, more: object = {}, role: 'worker' | 'control-plane' = 'worker') =>
  host(n, { state: 'serving', held: { charter: plover.name, role, release: '1.34.2', ...more } });
const estate: Estate = {
  ...base,
  now: '2026-12-01T00:00:00Z',
  charters: [plover, { ...plover, name: 'auk', team: 'radar' }, { ...plover, name: 'brant', release: '1.33.6' }],
  hosts: [
    serving(1, { certificates: '2027-01-10T12:00:00Z' }, 'control-plane'),
    serving(2, { certificates: '2026-12-31T06:00:00Z', release: '1.33.6' }),
    serving(4),
    host(5, { state: 'held', held: { charter: plover.name, role: 'worker' } }),
    host(3, { state: 'held', held: { charter: 'brant', role: 'worker' } }),
  ],
};
const none = { findings: [], proved: [], runs: [] };
const rows = (known: Partial<Parameters<typeof clusterRows>[1]> = {}) => clusterRows(estate, { ...none, ...known });
const row = (name: string, known = {}) => rows(known).find((r) => r.charter.name === name) as ClusterRow;

describe('clusters in lines', () => {
  it('say what runs, how much pods can use, and when the first certificate ends', () => {
    // Workers 2, 4 and 5: 16, 32 and 32 cores, 64, 128 and 128 GiB. Of each 1 core and 2.1 GiB are kept.
    expect(row('plover')).toMatchObject({
      state: 'serving',
      runs: ['1.33.6', '1.34.2'],
      hosts: 4,
      cores: 16 + 32 + 32 - 3,
      memoryGiB: Math.round(64 + 128 + 128 - 3 * 2.1),
      // From 1 December 00:00 to 31 December 06:00.
      ends: '2026-12-31T06:00:00Z',
      days: 30,
    });
    expect(row('auk')).toMatchObject({ state: 'declared', hosts: 0, cores: 0, memoryGiB: 0, ends: undefined, days: undefined });
  });
  it.each([
    ['auk', [], 'declared'],
    ['auk', [{ charter: 'auk', underWay: false, failed: true }], 'declared'], // what it held was given back
    ['brant', [], 'held'],
    ['brant', [{ charter: 'brant', underWay: false, failed: true }], 'failed'],
    ['brant', [{ charter: 'brant', underWay: true, failed: false }], 'building'],
    ['plover', [{ charter: 'plover', underWay: false, failed: true }], 'serving'],
    ['plover', [{ charter: 'plover', underWay: true, failed: false }], 'building'],
    [
      'brant',
      [
        { charter: 'brant', underWay: false, failed: false },
        { charter: 'brant', underWay: false, failed: true },
      ],
      'held',
    ], // the newest counts
  ] as const)('%s after %j is %s', (name, runs, state) => expect(row(name, { runs }).state).toBe(state));
  it('count what stops and what is to be minded, and what was measured of those that serve', () => {
    const known = {
      findings: [
        { severity: 'stop', charters: ['plover', 'brant'] },
        { severity: 'mind', charters: ['plover'] },
        { severity: 'note', charters: ['plover'] },
      ],
      proved: [
        { charter: 'plover', at: '2026-12-01T00:00:00Z', holds: 11, of: 12 },
        { charter: 'brant', at: '2026-11-01T00:00:00Z', holds: 12, of: 12 },
      ],
    };
    expect(rows(known).map((r) => [r.charter.name, r.stops, r.minds, r.proved?.holds])).toEqual([
      ['plover', 1, 1, 11],
      ['auk', 0, 0, undefined],
      ['brant', 1, 0, undefined],
    ]);
  });
});

describe('the filter of clusters', () => {
  const known = { proved: [{ charter: 'plover', at: '2026-12-01T00:00:00Z', holds: 11, of: 12 }] };
  const found = (text: string) =>
    rows(known)
      .filter(clusterFilter(text).test)
      .map((r) => r.charter.name)
      .join(' ');
  it.each([
    ['', 'plover auk brant'],
    ['state:serving', 'plover'],
    ['-state:serving', 'auk brant'],
    ['team:radar', 'auk'],
    ['runs:1.33.6', 'plover'],
    ['release:1.33.6', 'brant'],
    ['certificates<=30d', 'plover'],
    ['certificates<30', ''],
    ['proof:fails', 'plover'],
    ['proof:none', 'auk brant'],
    ['cores>=70 memory>=0.25TiB', 'plover'],
    ['hosts<2', 'auk brant'],
    ['auk', 'auk'],
  ])('%s finds %s', (text, names) => expect(found(text)).toBe(names));
  it('says what it cannot read, and where', () => {
    expect(clusterFilter('stat:serving auk').wrong).toEqual([
      { from: 0, to: 12, message: 'stat is no fact; did you mean state?' },
    ]);
  });
  it('offers facts, and the values that are there', () => {
    expect(completeCluster('te', 2, rows()).map((o) => o.text)).toEqual(['team:', 'template:']);
    expect(completeCluster('release:', 8, rows()).map((o) => [o.text, o.about])).toEqual([
      ['release:1.34.2', '2 clusters'],
      ['release:1.33.6', '1 cluster'],
    ]);
    expect(completeCluster('proof:', 6, rows()).map((o) => o.text)).toEqual(['proof:fails', 'proof:holds', 'proof:none']);
  });
});
