import { describe, expect, it } from 'vitest';
import { goodEstate, withAddon } from '../../test/estate.ts';
import { applyEdits, type Addon, type Charter, type Estate, kinds } from '../model/index.ts';
import {
  answered,
  applications,
  catalogue,
  type SeenObject,
  installs,
  objectKey,
  objectsOf,
  ownAddon,
  takesAway,
  wishedName,
} from './index.ts';

const text = `apiVersion: v1
kind: Namespace
metadata: {name: reef}
---
apiVersion: apps/v1
kind: Deployment
metadata: {name: buoys, namespace: reef}
spec:
  template:
    spec:
      containers: [{name: a, image: 'images.upstream.example/reef/buoys:1'}]
`;
const of = { name: 'reef', title: 'Reef', version: '1', source: 'upstream' };
const own = (t = text): Addon => {
  const read = ownAddon(t, of);
  if (!('addon' in read)) throw new Error(read.faults.join());
  return read.addon;
};
const questions = [
  { key: 'days', ask: 'How many days?', type: 'number', default: '14', atMost: 90 },
  { key: 'token', ask: 'Which entry?', type: 'secret' },
];
const asking = (e: Estate): Estate =>
  applyEdits(withAddon(e, 'log-shipper'), [
    { op: 'set', kind: 'Addon', key: 'log-shipper', path: ['questions'], value: questions },
  ]);
const first = (e: Estate) => e.charters[0] as Charter;
const addon = (e: Estate, name: string) => e.addons.find((a) => a.name === name) as Addon;

describe('manifests of somebody’s own', () => {
  it('become an add-on whose components are their images', () => {
    expect(own()).toMatchObject({
      kind: 'Addon',
      ...of,
      components: [{ name: 'buoys', image: 'images.upstream.example/reef/buoys:1', on: 'cluster' }],
      manifests: text,
    });
  });
  it.each([
    ['', ['It holds no object.']],
    ['kind: Namespace\nmetadata: {name: x}\n', ['line 1: apiVersion is missing, or is none']],
    [
      'apiVersion: v1\nkind: Namespace\nmetadata: {name: x}\n',
      ['No pod of it runs an image: there is nothing to bring to the cluster.'],
    ],
    ['a: [', [expect.stringMatching(/^line 1: /)]],
    [text.replace('reef/buoys:1', 'Reef Buoys'), [expect.stringMatching(/^components\.0\.image: /)]],
  ])('that are none say why: %j', (t, faults) => expect(ownAddon(t, of)).toEqual({ faults }));
  it('are called as their first program, with a number where that is taken', () => {
    expect([
      wishedName(text, new Set()),
      wishedName(text, new Set(['buoys', 'buoys-2'])),
      wishedName('nothing', new Set()),
    ]).toEqual(['buoys', 'buoys-3', 'application']);
  });
});

describe('installing and taking away', () => {
  it('are each other’s inverse, whatever was answered', () => {
    const e = applyEdits(goodEstate(), [{ op: 'put', doc: own() }]);
    const with_ = applyEdits(e, installs(first(e), addon(e, 'reef')));
    expect(first(with_).addons).toEqual([...first(e).addons, 'reef']);
    expect(applyEdits(with_, takesAway(first(with_), 'reef')).charters).toEqual(e.charters);
  });
  it('carry the answers of questions that are asked, and leave those of other add-ons', () => {
    const e = asking(goodEstate());
    const c = { ...first(e), addons: [], answers: [{ addon: 'other', question: 'x', answer: 'y' }] };
    const edits = installs(
      c,
      addon(e, 'log-shipper'),
      new Map([
        ['token', 'archive'],
        ['days', ' '],
        ['nobody', 'asks'],
      ]),
    );
    expect(edits.map((x) => x.op === 'set' && [x.path[0], x.value])).toEqual([
      ['addons', ['log-shipper']],
      [
        'answers',
        [
          { addon: 'other', question: 'x', answer: 'y' },
          { addon: 'log-shipper', question: 'token', answer: 'archive' },
        ],
      ],
    ]);
    const standing = { ...c, addons: ['log-shipper'], answers: [{ addon: 'log-shipper', question: 'token', answer: 'archive' }] };
    expect(installs(standing, addon(e, 'log-shipper'), new Map([['token', 'archive']]))).toEqual([]);
    expect(takesAway(standing, 'log-shipper').map((x) => x.op === 'set' && [x.path[0], x.value])).toEqual([
      ['addons', []],
      ['answers', undefined],
    ]);
  });
  it('say what is answered, what follows and what is wrong', () => {
    const a = addon(asking(goodEstate()), 'log-shipper');
    const told = (answers: [string, string][]) => answered(a, new Map(answers)).map((x) => [x.text, x.why, x.fault]);
    expect(told([])).toEqual([
      ['14', 'by default', undefined],
      [undefined, undefined, 'Required.'],
    ]);
    expect(
      told([
        ['days', '120'],
        ['token', 'archive'],
      ]),
    ).toEqual([
      ['120', undefined, '120 is more than 90'],
      ['archive', undefined, undefined],
    ]);
  });
});

describe('the catalogue of a cluster', () => {
  const e = applyEdits(goodEstate(), [
    { op: 'put', doc: own() },
    { op: 'put', doc: { ...own(), name: 'old', title: 'Old', runsWith: '<1.0.0' } },
    { op: 'put', doc: kinds.Addon.parse({ ...own(), name: 'net', title: 'Net', provides: 'pod-network' }) },
  ]);
  it('has every add-on but pod networks, with what is against it', () => {
    const c = { ...first(e), addons: ['reef'] };
    expect(catalogue(e, c).filter((o) => ['reef', 'old', 'net'].includes(o.addon.name))).toEqual([
      { addon: addon(e, 'old'), has: false, against: `It runs with <1.0.0; plover has ${e.releases[0]?.version}.` },
      { addon: addon(e, 'reef'), has: true },
    ]);
  });
  it('says what the release serves no more', () => {
    const release = {
      ...e.releases[0],
      removed: [{ api: 'apps/v1', kind: 'Deployment', instead: 'apps/v2' }],
    } as Estate['releases'][0];
    const found = catalogue({ ...e, releases: [release] }, first(e)).find((o) => o.addon.name === 'reef');
    expect(found?.against).toBe(`${release.version} serves no Deployment of apps/v1 any more: apps/v2 took its place.`);
  });
});

describe('how applications stand', () => {
  const e = applyEdits(goodEstate(), [{ op: 'put', doc: own() }]);
  const objects = objectsOf(own());
  const [ns = '', program = ''] = objects.map(objectKey);
  const own_ = new Set(objects.map(objectKey));
  const c = (...addons: string[]) => ({ ...first(e), addons });
  const given = (...addons: string[]) => ({ charter: { addons }, objects, own: own_ });
  const seen = (ready: number, wanted: number, why?: string) =>
    new Map([
      [ns, { there: true }],
      [program, { there: true, ready, wanted, ...(why ? { why } : {}) }],
    ]);
  const state = (...a: Parameters<typeof applications>) =>
    applications(...a).map((x) => [x.addon, x.state, x.parts.map((p) => p.state)]);
  it.each([
    ['in the charter, and given nothing yet', c('reef'), undefined, new Map<string, SeenObject>(), ['reef', 'planned', []]],
    [
      'in the charter since the last change',
      c('reef'),
      given(),
      new Map<string, SeenObject>(),
      ['reef', 'planned', ['not-known', 'not-known']],
    ],
    ['whole', c('reef'), given('reef'), seen(2, 2), ['reef', 'runs', ['there', 'runs']]],
    ['lacking a pod', c('reef'), given('reef'), seen(1, 2), ['reef', 'comes-up', ['there', 'comes-up']]],
    ['a Deployment of which none is wanted', c('reef'), given('reef'), seen(0, 0), ['reef', 'runs', ['there', 'runs']]],
    [
      'given, and not there',
      c('reef'),
      given('reef'),
      new Map([
        [ns, { there: false }],
        [program, { there: false }],
      ]),
      ['reef', 'comes-up', ['absent', 'absent']],
    ],
    ['not asked', c('reef'), given('reef'), new Map<string, SeenObject>(), ['reef', 'not-known', ['not-known', 'not-known']]],
    ['taken out of the charter', c(), given('reef'), seen(2, 2), ['reef', 'leaves', ['there', 'runs']]],
  ] as const)('%s', (_, charter, g, s, expected) => {
    expect(state(charter, e.addons, g, s as ReadonlyMap<string, SeenObject>)).toContainEqual(expected);
  });
  it('what no add-on has any more leaves without a name; what the release brings is no application', () => {
    const others = {
      ...given(),
      objects: [...objects, { apiVersion: 'apps/v1', kind: 'DaemonSet', namespace: 'kube-system', name: 'kube-proxy' }],
    };
    expect(state(c(), [], others, seen(2, 2))).toEqual([[undefined, 'leaves', ['there', 'runs']]]);
  });
  it('a version of a group is no other object', () => {
    expect(objectKey({ apiVersion: 'apps/v1', kind: 'X', name: 'a' })).toBe(
      objectKey({ apiVersion: 'apps/v2', kind: 'X', name: 'a' }),
    );
    expect(objectKey({ apiVersion: 'v1', kind: 'X', name: 'a' })).not.toBe(
      objectKey({ apiVersion: 'apps/v1', kind: 'X', name: 'a' }),
    );
  });
});
