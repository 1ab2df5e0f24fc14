import { describe, expect, it } from 'vitest';
import { evict } from './evict.ts';
import type { KubeObject } from './kinds.ts';
import { Placed } from './placed.ts';
import type { Pod, State } from './pods.ts';

const labels = { app: 'tides' };
const pod = (n: number, ready: boolean): Pod => ({
  key: `default/tides ${n}`,
  name: `tides-${n}`,
  namespace: 'default',
  labels,
  owner: { apiVersion: 'apps/v1', kind: 'Deployment', metadata: { name: 'tides' } },
  hostNetwork: false,
  ready,
});
const state = (...ready: boolean[]) => ({ pods: ready.map((r, n) => pod(n, r)) }) as unknown as State;
const budget = (spec: object, selector: object = { matchLabels: labels }): KubeObject => ({
  apiVersion: 'policy/v1',
  kind: 'PodDisruptionBudget',
  metadata: { name: 'b', namespace: 'default' },
  spec: { ...spec, selector },
});
const first = { namespace: 'default', name: 'tides-0' };

describe('an eviction', () => {
  // Healthy pods, what the budget says, and whether one may go: healthy − 1 ≥ needed.
  it.each<[string, boolean[], object, boolean]>([
    ['3 healthy, 3 needed', [true, true, true], { minAvailable: 3 }, false],
    ['3 healthy, 2 needed', [true, true, true], { minAvailable: 2 }, true],
    ['2 of 3 healthy, 2 needed', [true, true, false], { minAvailable: 2 }, false],
    ['half of 3, which is 2', [true, true, true], { minAvailable: '50%' }, true],
    ['half of 3, and 2 healthy', [true, true, false], { minAvailable: '50%' }, false],
    ['one of 3 may be away', [true, true, true], { maxUnavailable: 1 }, true],
    ['one of 3 may be away, and is', [true, true, false], { maxUnavailable: 1 }, false],
    ['none may be away', [true, true, true], { maxUnavailable: 0 }, false],
  ])('%s', (_, ready, spec, goes) => {
    expect(evict(first, state(...ready), [budget(spec)]).status).toBe(goes ? 201 : 429);
  });
  it('is held by budgets of its own pods alone, and says by which', () => {
    const other = budget({ minAvailable: 3 }, { matchLabels: { app: 'other' } });
    expect(evict(first, state(true, true, true), [other]).key).toBe('default/tides 0');
    expect(JSON.stringify(evict(first, state(true), [budget({ minAvailable: 1 })]).body)).toContain(
      'The disruption budget b needs 1 healthy pods and has 1 currently',
    );
    expect(evict({ ...first, name: 'none' }, state(true), []).status).toBe(404);
  });
});

describe('where pods are put', () => {
  const all = () => true;
  it('is where the fewest are, and stays so when a node comes', () => {
    const placed = new Placed();
    const load = new Map([['a', 1]]);
    expect(placed.of('p', ['a', 'b'], all, load)?.node).toBe('b');
    expect(placed.of('p', ['a', 'b', 'c'], all, new Map([['b', 9]]))?.node).toBe('b');
  });
  it('is another place once it was evicted, or its node is gone: another pod each time', () => {
    const placed = new Placed();
    expect(placed.of('p', ['a'], all, new Map())).toMatchObject({ node: 'a', times: 1 });
    placed.release('p');
    expect(placed.of('p', ['b'], all, new Map())).toMatchObject({ node: 'b', times: 2 });
    expect(placed.of('p', ['c'], (n) => n !== 'b', new Map())).toMatchObject({ node: 'c', times: 3 });
    // Nowhere to go: it waits, and is not forgotten.
    placed.release('p');
    expect(placed.of('p', [], all, new Map())).toBeUndefined();
    expect(placed.of('p', ['a'], all, new Map())?.times).toBe(4);
  });
});
