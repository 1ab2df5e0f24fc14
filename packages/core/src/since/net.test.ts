import { describe, expect, it } from 'vitest';
import fc from 'fast-check';
import { type Change, type Doc, kinds } from '../model/index.ts';
import { mostFields, netChanges } from './index.ts';

const net = (name: string, more: object = {}): Doc =>
  kinds.Network.parse({ kind: 'Network', name, site: 'lr', purpose: 'machine', prefix: '10.62.8.0/25', ...more });
const change = (key: string, before: Doc | null, after: Doc | null): Change => ({ kind: 'Network', key, before, after });
let minute = 0;
const act = (who: string, ...changes: Change[]) => ({
  at: `2026-11-27T09:${String(minute++).padStart(2, '0')}:00Z`,
  who,
  changes,
});

describe('what changed in the plan over several acts', () => {
  it('is told from before the first to after the last, with who had a part in it', () => {
    minute = 0;
    const got = netChanges(
      [
        act('rui', change('lr-machine', net('lr-machine'), net('lr-machine', { mtu: 9000 }))),
        act(
          'ana',
          change('lr-machine', net('lr-machine', { mtu: 9000 }), net('lr-machine', { mtu: 1400, gateway: '10.62.8.1' })),
        ),
      ],
      'iris',
    );
    expect(got).toEqual([
      {
        kind: 'Network',
        key: 'lr-machine',
        site: 'lr',
        how: 'changed',
        who: ['rui', 'ana'],
        at: '2026-11-27T09:01:00Z',
        fields: [
          { name: 'Gateway', is: '10.62.8.1' },
          { name: 'MTU', was: '1500', is: '1400' },
        ],
        more: 0,
      },
    ]);
  });
  it('is nothing where it was changed back, or came and went', () => {
    expect(
      netChanges(
        [
          act('rui', change('a', net('a'), net('a', { mtu: 9000 })), change('b', null, net('b'))),
          act('rui', change('a', net('a', { mtu: 9000 }), net('a')), change('b', net('b'), null)),
        ],
        'iris',
      ),
    ).toEqual([]);
  });
  it('tells what came and what went, and of a document that went and came again what differs', () => {
    const got = netChanges(
      [
        act('rui', change('a', null, net('a')), change('b', net('b'), null), change('c', net('c'), null)),
        act('rui', change('c', null, net('c', { mtu: 9000 }))),
      ],
      'iris',
    );
    expect(got.map((g) => [g.key, g.how, g.fields.map((f) => f.name)])).toEqual([
      ['a', 'declared', []],
      ['b', 'removed', []],
      ['c', 'changed', ['MTU']],
    ]);
  });
  it('leaves out what one changed alone, and not what one changed with others', () => {
    const by = (...who: string[]) =>
      netChanges(
        who.map((w, n) => act(w, change('a', net('a', { mtu: 1400 + n }), net('a', { mtu: 1401 + n })))),
        'iris',
      ).map((g) => g.who);
    expect(by('iris', 'iris')).toEqual([]);
    expect(by('iris', 'rui')).toEqual([['iris', 'rui']]);
  });
  it('stands by site and kind; what belongs to no site comes first', () => {
    const site = (name: string) =>
      kinds.Site.parse({
        kind: 'Site',
        name,
        title: name,
        form: 'edge',
        reach: 'open',
        domain: `${name}.kestrelferries.example`,
      });
    const got = netChanges(
      [
        act(
          'rui',
          change('a', null, net('a', { site: 'aa' })),
          {
            kind: 'Site',
            key: 'aa',
            before: null,
            after: site('aa'),
          },
          { kind: 'Team', key: 'tides', before: null, after: kinds.Team.parse({ kind: 'Team', name: 'tides', title: 'Tides' }) },
          change('y', null, net('y')),
        ),
      ],
      'iris',
    );
    expect(got.map((g) => `${g.site ?? '—'} ${g.kind} ${g.key}`)).toEqual([
      '— Team tides',
      'aa Site aa',
      'aa Network a',
      'lr Network y',
    ]);
  });
  it('tells some fields, and how many more there are; a long value is cut', () => {
    const before = kinds.Site.parse({
      kind: 'Site',
      name: 'aa',
      title: 'x',
      form: 'edge',
      reach: 'open',
      domain: 'aa.kestrelferries.example',
    });
    const after = { ...before, title: 'y'.repeat(500), a: 1, b: 2, c: 3, d: 4, e: 5, f: 6 } as Doc;
    const [got] = netChanges([act('rui', { kind: 'Site', key: 'aa', before, after })], 'iris');
    expect([got?.fields.length, got?.more]).toEqual([mostFields, 1]);
    const [only] = netChanges(
      [act('rui', { kind: 'Site', key: 'aa', before, after: { ...before, title: 'y'.repeat(500) } as Doc })],
      'iris',
    );
    expect(only?.fields[0]?.is).toHaveLength(160);
  });
  it('is what the first and the last state differ in, whatever lies between', () => {
    fc.assert(
      fc.property(
        fc.array(fc.option(fc.integer({ min: 1280, max: 9000 }), { nil: null }), { minLength: 2, maxLength: 8 }),
        (mtus) => {
          const states = mtus.map((mtu) => (mtu === null ? null : net('a', { mtu })));
          const acts = states.slice(1).map((after, n) => act('rui', change('a', states[n] as Doc | null, after)));
          const [first, last] = [mtus[0], mtus.at(-1)];
          const [got] = netChanges(acts, 'iris');
          expect(got?.how).toBe(first === last ? undefined : first === null ? 'declared' : last === null ? 'removed' : 'changed');
        },
      ),
    );
  });
});
