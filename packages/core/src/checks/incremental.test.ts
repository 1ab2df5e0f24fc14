import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { asEstate, largeEstate } from '../../../../demo/large/estate.ts';
import { planOf, resolve } from '../charter/index.ts';
import type { Charter, Doc, Estate } from '../model/index.ts';
import { plannedRecords } from '../naming/index.ts';
import { View } from '../reading/index.ts';
import { Checker, check } from './index.ts';

const docs = largeEstate({ hosts: 60, sites: 6, seed: 7 });
const start = asEstate(docs);

type List =
  | 'sites'
  | 'networks'
  | 'hosts'
  | 'zones'
  | 'reservations'
  | 'registries'
  | 'charters'
  | 'baselines'
  | 'releases'
  | 'records';
/** An edit of the n-th document of a list: another one in its place, none, or one more. */
const change =
  (list: List, n: number, how: (d: never) => object | undefined) =>
  (e: Estate): Estate => {
    const all = e[list] as Doc[];
    const at = all.length ? n % all.length : -1;
    const after = at < 0 ? undefined : (how(all[at] as never) as Doc | undefined);
    return { ...e, [list]: all.flatMap((d, i) => (i === at ? (after ?? []) : d)) };
  };
const more =
  (list: List, n: number, how: (d: never) => object) =>
  (e: Estate): Estate => {
    const all = e[list] as Doc[];
    return all.length ? { ...e, [list]: [...all, how(all[n % all.length] as never)] } : e;
  };
const seen =
  (n: number, digests: number) =>
  (e: Estate): Estate => {
    const names = Object.keys(e.observed.registries);
    const name = names[n % names.length] as string;
    const r = e.observed.registries[name];
    return {
      ...e,
      observed: {
        ...e.observed,
        registries: { ...e.observed.registries, [name]: { ...r, digests: r?.digests.slice(digests) } as never },
      },
    };
  };
const number = fc.nat(5000);
const edits = fc.oneof(
  fc
    .tuple(number, fc.constantFrom(8, 64, 512))
    .map(([n, memoryGiB]) => change('hosts', n, (h: { facts: object }) => ({ ...h, facts: { ...h.facts, memoryGiB } }))),
  fc
    .tuple(number, fc.constantFrom('fit', 'serving', 'resting', 'retired'))
    .map(([n, state]) => change('hosts', n, (h: object) => ({ ...h, state }))),
  number.map((n) => change('hosts', n, (h: object) => ({ ...h, held: undefined }))),
  number.map((n) => change('hosts', n, () => undefined)),
  number.map((n) => more('hosts', n, (h: { name: string }) => ({ ...h, name: `${h.name}x` }))),
  fc
    .tuple(number, fc.constantFrom('other', 'deep.er'))
    .map(([n, label]) => change('reservations', n, (r: { name: string }) => ({ ...r, name: `${label}.${r.name}` }))),
  number.map((n) => change('reservations', n, () => undefined)),
  number.map((n) => change('reservations', n, (r: object) => ({ ...r, mac: '52:8a:00:00:00:01' }))),
  fc
    .tuple(number, fc.integer({ min: 1, max: 5 }))
    .map(([n, count]) => change('charters', n, (c: object) => ({ ...c, controlPlane: { count } }))),
  number.map((n) => change('charters', n, (c: { pods: object }) => ({ ...c, pods: { ...c.pods, range: '10.128.64.0/18' } }))),
  number.map((n) => change('charters', n, (c: object) => ({ ...c, machineNetwork: 's000-machine' }))),
  number.map((n) => change('charters', n, (c: object) => ({ ...c, release: 'none' }))),
  number.map((n) => change('charters', n, () => undefined)),
  number.map((n) => change('networks', n, (x: object) => ({ ...x, mtu: 1400 }))),
  number.map((n) => change('networks', n, (x: object) => ({ ...x, prefix: '10.32.0.0/23' }))),
  number.map((n) => change('networks', n, () => undefined)),
  number.map((n) => change('sites', n, (s: object) => ({ ...s, resolvers: ['10.32.1.77'] }))),
  number.map((n) => change('zones', n, () => undefined)),
  number.map((n) => more('zones', n, (z: { name: string }) => ({ ...z, name: `deep.${z.name}` }))),
  number.map((n) => change('registries', n, () => undefined)),
  number.map((n) => change('baselines', n, (b: object) => ({ ...b, parts: [] }))),
  number.map((n) => change('releases', n, () => undefined)),
  fc.constant((e: Estate): Estate => ({ ...e, keys: e.keys.slice(1) })),
  number.map((n) => (e: Estate): Estate => {
    const all = check(e).findings;
    const f = all[n % Math.max(1, all.length)];
    return f
      ? {
          ...e,
          accepted: [{ finding: f.id, text: f.text, reason: 'it may stay', by: 'x', at: e.now, until: '2026-12-10T00:00:00Z' }],
        }
      : e;
  }),
  fc.constant((e: Estate): Estate => ({ ...e, now: '2027-03-20T10:00:00Z' })),
  fc.tuple(number, fc.integer({ min: 0, max: 9 })).map(([n, k]) => seen(n, k)),
);

describe('after any row of edits', () => {
  it('what is kept is what would be found anew, figures, texts and order: property', () => {
    fc.assert(
      fc.property(fc.array(edits, { minLength: 1, maxLength: 8 }), (row) => {
        const checker = new Checker();
        checker.run(start);
        let e = start;
        for (const edit of row) {
          e = edit(e);
          expect(checker.run(e)).toEqual(check(e));
        }
        // Taken back, everything is as before.
        expect(checker.run(start)).toEqual(check(start));
      }),
      { numRuns: 25 },
    );
  });
  it('so are the plans and the records of zones: property', () => {
    fc.assert(
      fc.property(fc.array(edits, { minLength: 1, maxLength: 6 }), (row) => {
        const view = new View(start);
        const read = () => [view.all('Charter').map((c) => planOf(view, c.name)), plannedRecords(view)];
        read();
        let e = start;
        for (const edit of row) {
          e = edit(e);
          view.take(e);
          const fresh = new View(structuredClone(e));
          expect(read()).toEqual([fresh.all('Charter').map((c) => planOf(fresh, c.name)), plannedRecords(fresh)]);
        }
      }),
      { numRuns: 25 },
    );
  });
  it('a charter that is not saved is computed as if it were', () => {
    const c = start.charters[0] as Charter;
    const draft = { ...c, workers: { ...c.workers, count: 2 } };
    const saved = { ...start, charters: start.charters.map((x) => (x === c ? draft : x)) };
    expect(resolve(draft, start)).toEqual(resolve(draft, saved));
  });
});

describe('the large estate', () => {
  it('is the same for the same numbers, and another one for another seed', () => {
    expect(largeEstate({ hosts: 60, sites: 6, seed: 7 })).toEqual(docs);
    expect(largeEstate({ hosts: 60, sites: 6, seed: 8 })).not.toEqual(docs);
  });
  it('has what was asked for, with mistakes here and there', () => {
    expect([start.sites.length, start.hosts.length, start.charters.length]).toEqual([6, 60, 6]);
    const { findings } = check(start);
    expect(findings.length).toBeGreaterThan(0);
    expect(findings.length).toBeLessThan(60);
  });
});
