import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import {
  applyDifference,
  type Doc,
  docsOf,
  type Estate,
  EstateDifference,
  estateDifference,
  estateForPage,
  keyOf,
} from './index.ts';

const start = goodEstate();
const lists = ['sites', 'networks', 'hosts', 'zones', 'reservations', 'registries', 'charters', 'records'] as const;
const edit = fc.record({ list: fc.constantFrom(...lists), n: fc.nat(50), how: fc.constantFrom('other', 'gone', 'more') });
const edited = (e: Estate, { list, n, how }: { list: (typeof lists)[number]; n: number; how: string }): Estate => {
  const all = e[list] as Doc[];
  const at = all.length ? n % all.length : -1;
  if (at < 0) return e;
  const d = all[at] as Doc & { name?: string };
  if (how === 'gone') return { ...e, [list]: all.filter((x) => x !== d) };
  if (how === 'other') return { ...e, [list]: all.map((x) => (x === d ? { ...d } : x)) };
  const more = { ...d, name: `${d.name}-${n}`, ...(d.kind === 'Reservation' ? { address: `10.62.8.${n + 130}` } : {}) } as Doc;
  return all.some((x) => keyOf(x) === keyOf(more)) ? e : { ...e, [list]: [...all, more] };
};
const told = (e: Estate) => ({
  docs: docsOf(e)
    .map((d) => [`${d.kind} ${keyOf(d)}`, d] as const)
    .sort(([a], [b]) => (a < b ? -1 : 1)),
  observed: e.observed,
  keys: e.keys,
  now: e.now,
});

describe('the difference between two states', () => {
  it('makes the second of the first, over a wire too, and leaves alone what did not change: property', () => {
    fc.assert(
      fc.property(fc.array(edit, { maxLength: 12 }), (edits) => {
        const after = edits.reduce(edited, start);
        const d = estateDifference(start, after);
        const made = applyDifference(start, EstateDifference.parse(JSON.parse(JSON.stringify(d))));
        expect(told(made)).toEqual(told(after));
        const changed = new Set([...d.docs.map((x) => `${x.kind} ${keyOf(x)}`), ...d.gone]);
        for (const doc of docsOf(start))
          if (!changed.has(`${doc.kind} ${keyOf(doc)}`)) expect(docsOf(made).includes(doc)).toBe(true);
      }),
      { numRuns: 100 },
    );
  });
  it('tells observations that came, changed and went', () => {
    const seen = { at: start.now, digests: ['sha256:1'] };
    const one = { ...start, observed: { ...start.observed, registries: { ...start.observed.registries, other: seen } } };
    const two = { ...one, observed: { ...one.observed, registries: { other: { ...seen, digests: [] } }, sightings: [] } };
    expect(Object.keys(estateDifference(start, one).registries ?? {})).toEqual(['other']);
    expect(applyDifference(one, estateDifference(one, two)).observed).toEqual(two.observed);
    expect(estateDifference(one, one)).toEqual({ now: start.now, docs: [], gone: [] });
  });
});

describe('an estate for a page', () => {
  it('has of a registry what a bill asks for, and how much there is in all', () => {
    const [name, bill] = Object.entries(start.observed.bills)[0] as [string, (typeof start.observed.bills)[string]];
    const wanted = Object.keys(bill.blobs)[0] as string;
    const seen = { at: start.now, digests: [wanted, 'sha256:nobody'], names: ['elsewhere/x:1@sha256:nobody'] };
    const e = { ...start, observed: { ...start.observed, registries: { r: seen } } };
    expect([name, estateForPage(e).observed.registries.r]).toEqual([name, { ...seen, digests: [wanted], names: [], holds: 2 }]);
    expect(estateForPage(e).observed.registries.r).toBe(estateForPage(e).observed.registries.r);
  });
});
