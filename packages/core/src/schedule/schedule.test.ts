import { buildSteps } from '../changes/index.ts';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { resolve } from '../charter/index.ts';
import type { Charter } from '../model/index.ts';
import {
  type RunEvent,
  diskNotEmpty,
  ended,
  fold,
  newRun,
  nothingKnown,
  ready,
  type Step,
  stateAfter,
  stepOf,
  timeline,
} from './index.ts';

const step = (id: string, after: string[] = [], p50 = 60): Step => ({
  id,
  lane: id.split('/')[0] ?? id,
  kind: 'system',
  title: id,
  after,
  p50,
  p90: p50 * 2,
});
const steps = [step('a'), step('b', ['a']), step('c', ['a'], 120), step('d', ['b', 'c'])];
const at = (s: number) => new Date(Date.UTC(2026, 10, 23, 12, 0, s)).toISOString();
const run = (...events: RunEvent[]) => events.reduce(fold, newRun(steps));
const begun: RunEvent = { at: at(0), kind: 'begun' };

it('a step is found by its kind and its host, whatever its id', () => {
  const named: Step[] = [
    { ...step('x1'), kind: 'names' },
    { ...step('x2'), kind: 'power', host: 'lr-02' },
    { ...step('x3'), kind: 'power', host: 'lr-03' },
  ];
  expect(stepOf(named, 'power', 'lr-03')?.id).toBe('x3');
  expect(stepOf(named, 'names', undefined)?.id).toBe('x1');
  expect(stepOf(named, 'system', 'lr-03')).toBeUndefined();
});

describe('a build is the fold of its events', () => {
  it('starts what everything before it allows', () => {
    expect(ready(steps, newRun(steps))).toEqual([]);
    expect(ready(steps, run(begun)).map((s) => s.id)).toEqual(['a']);
    expect(
      ready(steps, run(begun, { at: at(1), kind: 'started', step: 'a' }, { at: at(2), kind: 'succeeded', step: 'a' })).map(
        (s) => s.id,
      ),
    ).toEqual(['b', 'c']);
  });
  it('ends with a failure only when nothing else can go on, and resumes at the broken step', () => {
    const broken = run(
      begun,
      { at: at(1), kind: 'started', step: 'a' },
      { at: at(2), kind: 'succeeded', step: 'a' },
      { at: at(3), kind: 'started', step: 'b' },
      { at: at(4), kind: 'failed', step: 'b', text: 'no power', remedy: 'look', code: diskNotEmpty },
    );
    expect(ended(steps, broken)).toBe(false); // c can still run
    expect([broken.steps.b?.code, fold(broken, { at: at(5), kind: 'started', step: 'b' }).steps.b?.code]).toEqual([
      'disk-not-empty',
      undefined,
    ]);
    const over = [
      { at: at(5), kind: 'started', step: 'c' },
      { at: at(6), kind: 'succeeded', step: 'c' },
      { at: at(7), kind: 'finished' },
    ].reduce((s, e) => fold(s, e as RunEvent), broken);
    expect(over.state).toBe('failed');
    const again = fold(over, { at: at(8), kind: 'resumed' });
    expect(ready(steps, again).map((s) => s.id)).toEqual(['b']);
    expect(again.steps.c?.state).toBe('done');
  });
  it('runs again what was cut off, and keeps what healed', () => {
    const cut = run(
      begun,
      { at: at(1), kind: 'started', step: 'a' },
      { at: at(2), kind: 'healed', step: 'a', text: 'timed out once' },
      { at: at(3), kind: 'resumed' },
      { at: at(4), kind: 'started', step: 'a' },
    );
    expect(cut.steps.a).toMatchObject({ state: 'running', attempt: 2, healed: ['timed out once'] });
  });
  it('runs again what nobody has ended when it goes on: after a kill it stands as running, and nobody is at it', () => {
    const killed = run(begun, { at: at(1), kind: 'started', step: 'a' });
    expect(ready(steps, killed)).toEqual([]);
    expect(ready(steps, fold(killed, { at: at(9), kind: 'resumed' })).map((x) => x.id)).toEqual(['a']);
  });
  it('is done when all of it is, and not when some of it is', () => {
    const done = (id: string): RunEvent[] => [
      { at: at(1), kind: 'started', step: id },
      { at: at(2), kind: 'succeeded', step: id },
    ];
    const end: RunEvent = { at: at(9), kind: 'finished' };
    expect(run(begun, ...['a', 'b', 'c'].flatMap(done), end).state).toBe('failed');
    expect(run(begun, ...['a', 'b', 'c', 'd'].flatMap(done), end).state).toBe('done');
  });
  it('starts nothing while it holds', () => {
    expect(ready(steps, run(begun, { at: at(1), kind: 'paused' }))).toEqual([]);
    expect(ready(steps, run(begun, { at: at(1), kind: 'paused' }, { at: at(2), kind: 'continued' })).map((s) => s.id)).toEqual([
      'a',
    ]);
  });
  it('bears any events in any order without breaking', () => {
    const event = fc.oneof(
      fc
        .constantFrom('begun', 'paused', 'continued', 'stopped', 'resumed', 'finished')
        .map((kind) => ({ at: at(1), kind }) as RunEvent),
      fc
        .tuple(fc.constantFrom('started', 'succeeded', 'failed', 'healed', 'progress'), fc.constantFrom('a', 'b', 'c', 'd', 'x'))
        .map(([kind, s]) => ({ at: at(1), kind, step: s, text: '', done: 1, of: 2 }) as RunEvent),
    );
    fc.assert(
      fc.property(fc.array(event, { maxLength: 40 }), (events) => {
        let s = newRun(steps);
        for (const e of events) {
          const before = JSON.stringify(s);
          const next = fold(s, e);
          // What was handed out stays as it was.
          expect(JSON.stringify(s)).toBe(before);
          s = next;
        }
        // All at once, nothing copied between them: the same.
        expect(JSON.stringify(stateAfter(steps, events))).toBe(JSON.stringify(s));
        expect(Object.keys(s.steps)).toEqual(['a', 'b', 'c', 'd']);
        for (const r of ready(steps, s)) expect(r.after.every((x) => s.steps[x]?.state === 'done')).toBe(true);
      }),
    );
  });
});

describe('the time line', () => {
  it('adds up the chain that decides the end', () => {
    // a 60 + c 120 + d 60 = 240 s; b (60 s) is not on it
    const t = timeline(steps, run(begun), Date.parse(at(0)));
    expect((t.end - t.start) / 1000).toBe(240);
    expect(t.bars.filter((b) => b.deciding).map((b) => b.id)).toEqual(['a', 'c', 'd']);
  });
  it('reckons with what steps share: two at a hypervisor at once', () => {
    // Five guests of 60 s at one hypervisor, two at a time: 3 × 60 s; at two hypervisors (3 and 2 guests): 2 × 60 s
    const cast = (n: number, at: string): Step => ({ ...step(`g${n}/cast`), shares: { limit: 'hypervisor', of: at, room: 2 } });
    const one = [1, 2, 3, 4, 5].map((n) => cast(n, 'hv1'));
    const two = [1, 2, 3, 4, 5].map((n) => cast(n, n < 4 ? 'hv1' : 'hv2'));
    const line = (list: Step[]) => {
      const t = timeline(list, fold(newRun(list), begun), Date.parse(at(0)));
      return {
        seconds: (t.end - t.start) / 1000,
        starts: t.bars.map((b) => (b.start - t.start) / 1000),
        deciding: t.bars.filter((b) => b.deciding).map((b) => b.id),
      };
    };
    expect(line(one)).toEqual({ seconds: 180, starts: [0, 0, 60, 60, 120], deciding: ['g1/cast', 'g3/cast', 'g5/cast'] });
    expect(line(two)).toMatchObject({ seconds: 120, starts: [0, 0, 60, 0, 0] });
    // A step that runs holds its place until its expected end.
    const running = fold(fold(newRun(one), begun), { at: at(0), kind: 'started', step: 'g5/cast' });
    const t = timeline(one, running, Date.parse(at(30)));
    expect(t.bars.map((b) => (b.start - Date.parse(at(0))) / 1000)).toEqual([30, 60, 90, 120, 0]);
  });
  it('and the build starts no more of them at once', () => {
    const list = [1, 2, 3].map((n): Step => ({ ...step(`g${n}/cast`), shares: { limit: 'hypervisor', of: 'hv1', room: 2 } }));
    let s = fold(newRun(list), begun);
    expect(ready(list, s).map((x) => x.id)).toEqual(['g1/cast', 'g2/cast']);
    s = fold(s, { at: at(1), kind: 'started', step: 'g2/cast' });
    expect(ready(list, s).map((x) => x.id)).toEqual(['g1/cast']);
    s = fold(fold(s, { at: at(1), kind: 'started', step: 'g1/cast' }), {
      at: at(2),
      kind: 'failed',
      step: 'g1/cast',
      text: 'no room',
    });
    expect(ready(list, s).map((x) => x.id)).toEqual(['g3/cast']);
  });
  it('goes by the pace of this build', () => {
    // a took 6 s instead of 60: a tenth; c and d are left: (120 + 60) / 10 = 18 s from now
    const t = timeline(
      steps,
      run(begun, { at: at(0), kind: 'started', step: 'a' }, { at: at(6), kind: 'succeeded', step: 'a' }),
      Date.parse(at(6)),
    );
    expect(t.pace).toBeCloseTo(0.1);
    expect((t.end - Date.parse(at(6))) / 1000).toBeCloseTo(18);
  });
  it('goes by the count of a running step', () => {
    // 30 of 90 after 10 s: 30 s in all
    const t = timeline(
      steps,
      run(begun, { at: at(0), kind: 'started', step: 'a' }, { at: at(10), kind: 'progress', step: 'a', done: 30, of: 90 }),
      Date.parse(at(10)),
    );
    expect((t.bars[0]?.end ?? 0) - Date.parse(at(0))).toBe(30_000);
  });
});

describe('a build that is stopped', () => {
  it('cuts what ran at that moment, and runs it again when it resumes', () => {
    const s = run(begun, { at: at(1), kind: 'started', step: 'a' }, { at: at(5), kind: 'stopped' });
    expect(s).toMatchObject({
      state: 'stopped',
      ended: at(5),
      steps: { a: { state: 'cut', ended: at(5) }, b: { state: 'waiting' } },
    });
    expect(ready(steps, fold(s, { at: at(9), kind: 'resumed' })).map((x) => x.id)).toEqual(['a']);
  });
});

describe('the steps of a build', () => {
  const e = goodEstate();
  const plan = resolve(e.charters[0] as Charter, e);
  const list = buildSteps(plan, e);
  const after = (id: string) => list.find((s) => s.id === id)?.after;
  const [first, second, third] = plan.nodes.filter((n) => n.role === 'control-plane').map((n) => n.host);
  const workers = plan.nodes.filter((n) => n.role === 'worker').map((n) => n.host);
  it('join the control plane one after another, behind the first that answers', () => {
    expect(after(`${first}/join`)).toEqual([`${first}/images`]);
    expect(after('api')).toEqual([`${first}/join`]);
    expect(after(`${second}/join`)).toEqual([`${second}/images`, 'api', `${first}/join`]);
    expect(after(`${third}/join`)).toEqual([`${third}/images`, 'api', `${second}/join`]);
    expect(after('quorum')).toEqual(['api', ...[first, second, third].map((h) => `${h}/join`)]);
  });
  it('join workers when the pod network stands, and end with the proof of all of it', () => {
    for (const w of workers) expect(after(`${w}/join`)).toEqual([`${w}/images`, 'pod-network']);
    expect(after('pod-network')).toEqual(['quorum']);
    expect(after('inbound')).toEqual(['pod-network', ...workers.map((w) => `${w}/join`)]);
    expect(after('proof')).toEqual(['inbound']);
  });
  it('touch no machine before everything was measured and named', () => {
    for (const n of plan.nodes) expect(after(`${n.host}/power`)).toEqual(['names']);
    expect(after('names')).toEqual(['preflight']);
    expect(after('preflight')).toEqual([]);
  });
  it('take the times of this installation where it has some', () => {
    expect(
      buildSteps(plan, e, (kind) => (kind === 'system' ? { p50: 100, p90: 200 } : nothingKnown(kind))).find(
        (s) => s.kind === 'system',
      ),
    ).toMatchObject({ p50: 100, p90: 200 });
    expect(list.find((s) => s.kind === 'system')).toMatchObject({ p50: 540, p90: 900 });
  });
});

describe('the pace of a run', () => {
  it('counts the pace by steps of half a minute and more only', () => {
    const list = [step('quick', [], 20), step('slow', ['quick'], 30), step('last', ['slow'])];
    const s = [
      begun,
      { at: at(0), kind: 'started', step: 'quick' },
      { at: at(40), kind: 'succeeded', step: 'quick' },
      { at: at(40), kind: 'started', step: 'slow' },
      { at: at(55), kind: 'succeeded', step: 'slow' },
    ].reduce((x, e) => fold(x, e as RunEvent), newRun(list));
    // The quick one took twice as long and says nothing; the slow one half as long.
    expect(timeline(list, s, Date.parse(at(55))).pace).toBeCloseTo(0.5);
  });
});
