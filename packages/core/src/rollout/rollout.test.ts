import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { applyEdits, type Charter, type Estate, kinds, type Template } from '../model/index.ts';
import { ended, fold, newRun, passed, ready } from '../schedule/index.ts';
import { firstToLast, RolloutAsked, type RolloutPlan, rolloutOf, stepIds, wavesOf } from './index.ts';

const e = goodEstate();
const plover = e.charters[0] as Charter;
const { name: _, template: __, site, apiVersion: ___, kind: ____, ...fixed } = plover as Charter & Record<string, unknown>;
const template = (release: string, version = 2): Template =>
  kinds.Template.parse({
    kind: 'Template',
    name: 'room',
    version,
    questions: [
      { key: 'site', ask: 'Which room?', type: 'site', sets: ['site'], follows: { rule: 'site' } },
      { key: 'name', ask: 'Its name?', sets: ['name'], follows: { rule: 'cluster-name' } },
    ],
    charter: { ...fixed, timers: { tolerate: 60 } },
    earlier: [
      {
        version: 1,
        questions: [
          { key: 'site', ask: 'Which room?', type: 'site', sets: ['site'], follows: { rule: 'site' } },
          { key: 'name', ask: 'Its name?', sets: ['name'], follows: { rule: 'cluster-name' } },
        ],
        charter: { ...fixed, release },
      },
    ],
  }) as Template;
/** Clusters of the template at its first version, under some names. */
const estateWith = (names: readonly string[]): Estate => {
  const t = template(plover.release);
  const charters = names.map((name) =>
    kinds.Charter.parse({ ...plover, name, template: { name: 'room', version: 1, answers: [] } }),
  );
  return { ...applyEdits(e, [{ op: 'put', doc: t }]), charters: charters as Charter[] };
};
const asked = (waves: string[][], more: object = {}) => RolloutAsked.parse({ version: 2, waves, ...more });
const planOf = (waves: string[][], more: object = {}): RolloutPlan =>
  rolloutOf(template(plover.release), estateWith(waves.flat()), asked(waves, more));
/** Carries a plan out step by step, as the engine would. @returns the steps in the order in which they began */
function carriedOut({ steps }: RolloutPlan, fails: readonly string[] = []) {
  let status = fold(newRun(steps), { kind: 'begun', at: '2026-12-01T00:00:00Z' });
  const order: string[] = [];
  while (!ended(steps, status)) {
    const [next] = ready(steps, status);
    if (!next) throw new Error('nothing is ready');
    order.push(next.id);
    const at = '2026-12-01T00:00:00Z';
    status = fold(status, { kind: 'started', step: next.id, at });
    status = fold(
      status,
      fails.includes(next.id) ? { kind: 'failed', step: next.id, at, text: 'no' } : { kind: 'succeeded', step: next.id, at },
    );
  }
  return { order, status };
}

describe('waves', () => {
  it.each([
    [['a', 'b', 'c', 'd'], 1, 2, [['a'], ['b', 'c'], ['d']]],
    [['a', 'b', 'c'], 0, 2, [['a', 'b'], ['c']]],
    [['a'], 3, 2, [['a']]],
    [[], 1, 2, []],
  ])('of %j, %i first and then %i', (clusters, first, size, waves) => {
    expect(wavesOf(clusters, first, size)).toEqual(waves);
  });
  it('have every cluster once, in their order', () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.string()),
        fc.integer({ min: 0, max: 9 }),
        fc.integer({ min: 1, max: 9 }),
        (all, first, size) => {
          expect(wavesOf(all, first, size).flat()).toEqual(all);
        },
      ),
    );
  });
  it('begin with what stands and nothing stops', () => {
    const hosts = e.hosts.map((h, n) =>
      n < 2 ? { ...h, state: 'serving', held: { charter: n ? 'd' : 'b', role: 'worker' } } : h,
    );
    expect(firstToLast(['c', 'd', 'b', 'a'], { ...e, hosts: hosts as Estate['hosts'] }, (c) => c === 'd')).toEqual([
      'b',
      'a',
      'c',
      'd',
    ]);
  });
  it('asked for with a cluster twice are refused', () => {
    expect(RolloutAsked.safeParse({ version: 2, waves: [['a'], ['b', 'a']] }).success).toBe(false);
  });
});

describe('a roll-out', () => {
  it('sends images ahead to all at once; a wave begins when the one before is proved and has rested', () => {
    const { order } = carriedOut(planOf([['a'], ['b', 'c']]));
    const at = (id: string) => order.indexOf(id);
    const { steps } = planOf([['a'], ['b', 'c']]);
    const first = ready(steps, fold(newRun(steps), { kind: 'begun', at: '2026-12-01T00:00:00Z' })).map((s) => s.id);
    expect(first).toEqual(['a/ahead', 'b/ahead', 'c/ahead']);
    expect(at('a/bring')).toBeLessThan(at('a/change'));
    expect(at('a/change')).toBeLessThan(at('wave 2/rest'));
    for (const c of ['b', 'c']) expect(at('wave 2/rest')).toBeLessThan(at(stepIds.bring(c)));
    expect(order).toHaveLength(3 * 3 + 1);
  });
  it('changes no more at once than it is asked to', () => {
    const { steps } = planOf([['a', 'b', 'c', 'd', 'e']], { atOnce: 2 });
    let status = fold(newRun(steps), { kind: 'begun', at: '2026-12-01T00:00:00Z' });
    const begun = () =>
      ready(steps, status)
        .filter((s) => s.kind === 'bring')
        .map((s) => s.lane);
    for (const s of steps.filter((x) => x.kind === 'ahead'))
      status = fold(status, { kind: 'succeeded', step: s.id, at: '2026-12-01T00:00:00Z' });
    expect(begun()).toEqual(['a', 'b']);
    for (const id of ['a/bring', 'a/change']) status = fold(status, { kind: 'succeeded', step: id, at: '2026-12-01T00:00:00Z' });
    expect(begun()).toEqual(['b', 'c']);
  });
  it('stops where a proof fails: what began runs to its end, and no other wave begins', () => {
    const { status } = carriedOut(planOf([['a', 'b'], ['c']], { atOnce: 2 }), ['a/change']);
    const state = (id: string) => status.steps[id]?.state;
    expect([state('b/change'), state('wave 2/rest'), state('c/bring')]).toEqual(['done', 'waiting', 'waiting']);
    expect(passed(state('c/ahead'))).toBe(true);
  });
  it('says how long it takes: 2 hours of rest between two waves', () => {
    const { rows } = planOf([['a'], ['b']], { restHours: 2 });
    const [a, b] = rows;
    expect((b?.from ?? 0) - (a?.to ?? 0)).toBe(2 * 3600);
  });
  it('names clusters that are not of the template, and a version that nobody knows', () => {
    const estate = estateWith(['a']);
    const t = template(plover.release);
    expect(rolloutOf(t, estate, asked([['a', 'z']])).strange).toEqual(['z']);
    expect(rolloutOf(t, estate, asked([['a']], { version: 9 })).rows[0]?.fault).toContain('not known');
  });
});
