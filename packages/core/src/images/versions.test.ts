import { describe, expect, it } from 'vitest';
import { Addon, Release } from '../model/documents.ts';
import fc from 'fast-check';
import { moveFault, removedIn, runsWith, skewFaults, upgradePath } from './versions.ts';

const release = (version: string, more: object = {}) =>
  Release.parse({
    kind: 'Release',
    name: version,
    version,
    arch: ['x86-64'],
    source: 'up',
    components: [
      { name: 'api', image: 'up.example/api:1', on: 'control-plane' },
      { name: 'agent', image: 'up.example/agent:1', on: 'node', version: 'v1.32.7' },
      { name: 'store', image: 'up.example/store:1', on: 'control-plane', version: '3.5' },
      { name: 'odd', image: 'up.example/odd:1', on: 'node', version: 'tuesday' },
    ],
    ...more,
  });
const skew = (component: string, against: string, behind: number, ahead = 0) => ({
  skew: [{ component, against, behind, ahead }],
});

describe('skew within a release', () => {
  // The API server has the release's own version, 1.34; the agent 1.32: two behind.
  it('two behind is too far where one is allowed, and not where two are', () => {
    expect(skewFaults(release('1.34.2', skew('agent', 'api', 1)))).toEqual([
      { component: 'agent', version: 'v1.32.7', against: 'api', is: '1.34.2', by: -2, behind: 1, ahead: 0 },
    ]);
    expect(skewFaults(release('1.34.2', skew('agent', 'api', 2)))).toEqual([]);
  });
  it('ahead is judged by itself', () => {
    expect(skewFaults(release('1.31.0', skew('agent', 'api', 3))).map((f) => f.by)).toEqual([1]);
    expect(skewFaults(release('1.31.0', skew('agent', 'api', 3, 1)))).toEqual([]);
  });
  it('across majors every distance is too far; what is not there or cannot be read is not judged', () => {
    expect(skewFaults(release('1.34.2', skew('store', 'api', 9, 9)))).toHaveLength(1);
    expect(skewFaults(release('1.34.2', skew('odd', 'api', 0)))).toEqual([]);
    expect(skewFaults(release('1.34.2', skew('nobody', 'api', 0)))).toEqual([]);
  });
});

describe('an add-on', () => {
  const addon = (range?: string) =>
    Addon.parse({
      kind: 'Addon',
      name: 'log',
      title: 'log',
      version: '2.9.1',
      source: 'up',
      components: [{ name: 'x', image: 'up.example/x:1', on: 'node' }],
      ...(range ? { runsWith: range } : {}),
    });
  it.each([
    ['>=1.33.0 <1.36.0', '1.34.2', true],
    ['>=1.33.0 <1.36.0', '1.36.0', false],
    ['>=1.33.0 <1.36.0', '1.32.9', false],
    [undefined, '1.20.0', true],
  ])('that runs with %s, with %s: %s', (range, version, runs) => {
    expect(runsWith(addon(range), release(version))).toBe(runs);
  });
});

describe('a move to another release', () => {
  it.each([
    ['1.33.6', '1.34.2', undefined, undefined],
    ['1.34.1', '1.34.2', undefined, undefined],
    ['1.34.2', '1.34.2', '<1.34.0', undefined],
    ['1.32.9', '1.34.2', undefined, 'skips'],
    ['1.34.2', '1.33.6', undefined, 'down'],
    ['1.34.2', '2.0.0', undefined, 'skips'],
    ['1.33.2', '1.34.2', '>=1.33.5 <1.35.0', 'range'],
    ['1.33.6', '1.34.2', '>=1.33.5 <1.35.0', undefined],
  ])('from %s to %s (%s): %s', (from, to, range, fault) => {
    expect(moveFault(release(from), release(to, range ? { upgradesFrom: range } : {}))).toBe(fault);
  });
});

describe('a way from one release to another', () => {
  const there = ['1.31.0', '1.32.9', '1.33.2', '1.33.6', '1.34.0', '1.34.2'].map((v) => release(v));
  const of = (v: string) => there.find((r) => r.version === v) as Release;
  const way = (from: string, to: string, all = there) => upgradePath(of(from), of(to), all)?.map((r) => r.version);
  it('goes minor version by minor version, over the latest of each', () => {
    expect(way('1.31.0', '1.34.2')).toEqual(['1.32.9', '1.33.6', '1.34.2']);
    expect(way('1.34.0', '1.34.2')).toEqual(['1.34.2']);
    expect(way('1.34.2', '1.34.2')).toEqual([]);
  });
  it('is none where a minor version is missing, or back', () => {
    expect(
      way(
        '1.31.0',
        '1.34.2',
        there.filter((r) => r.version !== '1.32.9'),
      ),
    ).toBeUndefined();
    expect(way('1.34.2', '1.33.6')).toBeUndefined();
  });
  it('takes a longer one where a release takes over only what is recent', () => {
    const narrow = [...there.filter((r) => r.version !== '1.34.2'), release('1.34.2', { upgradesFrom: '>=1.33.6' })];
    const to = narrow.at(-1) as Release;
    expect(upgradePath(of('1.33.2'), to, narrow)?.map((r) => r.version)).toEqual(['1.34.0', '1.34.2']);
  });
  it('has only steps that are allowed by themselves, and no shorter one is there: property', () => {
    const version = fc.tuple(fc.integer({ min: 30, max: 34 }), fc.integer({ min: 0, max: 2 })).map(([m, p]) => `1.${m}.${p}`);
    fc.assert(
      fc.property(fc.uniqueArray(version, { minLength: 2, maxLength: 7 }), (list) => {
        const all = list.map((v) => release(v));
        const [from, to] = all as [Release, Release];
        const found = upgradePath(from, to, all);
        // Every order of steps there is, by hand.
        let best: number | undefined = from === to ? 0 : undefined;
        const go = (now: Release, steps: number) => {
          if (now === to) best = Math.min(best ?? steps, steps);
          else
            for (const next of all)
              if (next !== now && !moveFault(now, next) && next.version !== now.version && steps < 6) go(next, steps + 1);
        };
        go(from, 0);
        expect(found?.length).toBe(best);
        for (const [i, r] of (found ?? []).entries()) expect(moveFault(found?.[i - 1] ?? from, r)).toBeUndefined();
      }),
      { numRuns: 60 },
    );
  });
  it('objects of an add-on that it would refuse are named with their lines', () => {
    const manifests =
      'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: a}\n---\napiVersion: policy/v1beta1\nkind: PodDisruptionBudget\nmetadata: {name: b}\n';
    const made = Addon.parse({
      kind: 'Addon',
      name: 'x',
      title: 'X',
      version: '1',
      source: 'up',
      manifests,
      components: [{ name: 'x', image: 'up.example/x:1', on: 'node' }],
    });
    const to = release('1.34.2', {
      removed: [
        { api: 'policy/v1beta1', instead: 'policy/v1' },
        { api: 'v1', kind: 'Secret' },
      ],
    });
    expect(removedIn(to, made)).toEqual([
      { line: 5, apiVersion: 'policy/v1beta1', kind: 'PodDisruptionBudget', name: 'b', instead: 'policy/v1' },
    ]);
  });
});
