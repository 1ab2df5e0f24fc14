import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import {
  applyEdits,
  type Charter,
  type Doc,
  type Edit,
  type Estate,
  kinds,
  readDocuments,
  starterText,
  type Template,
  templateOf,
  versionOf,
  withVersionKept,
} from '../model/index.ts';
import { viewOf } from '../reading/index.ts';
import { broughtTo, clustersOf, departures, draw, reachOf } from './index.ts';

const fixed = {
  release: '1.34.2',
  mirror: 'lr-registry',
  overlay: { kind: 'geneve' },
  pods: { perNode: 24 },
  sshKeys: ['ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIGJ1aWxkZXItb2Yta2VzdHJlbC1mZXJyaWVzLWRlbW8= builder'],
};
const questions = [
  { key: 'site', ask: 'Which room?', type: 'site', sets: ['site'], follows: { rule: 'site' } },
  { key: 'name', ask: 'Its name?', sets: ['name'], follows: { rule: 'cluster-name' } },
  { key: 'members', ask: 'How many members?', type: 'hosts', sets: ['controlPlane.count'], follows: { rule: 'control-plane' } },
  { key: 'workers', ask: 'How many workers?', type: 'hosts', sets: ['workers.count'], follows: { rule: 'workers-left' } },
  { key: 'network', ask: 'Which network?', type: 'network', sets: ['machineNetwork'], follows: { rule: 'machine-network' } },
  {
    key: 'pods',
    ask: 'Which pods?',
    type: 'prefix',
    sets: ['pods.range'],
    follows: { rule: 'free-prefix', within: '10.144.0.0/12', length: 18 },
  },
  {
    key: 'services',
    ask: 'Which services?',
    type: 'prefix',
    sets: ['services.range'],
    follows: { rule: 'free-prefix', within: '10.144.0.0/12', length: 20 },
  },
];
const template = (more: object = {}): Template =>
  kinds.Template.parse({ kind: 'Template', name: 'room', charter: fixed, questions, ...more });
const faults = (more: object) =>
  (kinds.Template.safeParse({ kind: 'Template', name: 'room', charter: fixed, questions, ...more }).error?.issues ?? []).map(
    (i) => `${i.path.join('.')}: ${i.message}`,
  );
const put = (...docs: Doc[]): Edit[] => docs.map((doc) => ({ op: 'put', doc }));
/** The room without its cluster, with a template. */
const room = (t = template()): Estate => ({ ...applyEdits(goodEstate(), put(t)), charters: [] });
const drawn = (e: Estate, answers: { question: string; answer: string }[] = [], self?: Charter) => {
  const [t] = e.templates as [Template];
  return draw({ name: t.name, ...(versionOf(t, t.version) as NonNullable<ReturnType<typeof versionOf>>) }, answers, viewOf(e), {
    self,
    site: 'lr',
  });
};
/** The same with clusters of it, each by its answers. */
const withClusters = (e: Estate, ...list: { question: string; answer: string }[][]): Estate =>
  list.reduce((now, answers) => applyEdits(now, put(drawn(now, answers).charter as Charter)), e);
const called = (answer: string) => [{ question: 'name', answer }];

describe('a charter from a template', () => {
  it('follows from the site, from other answers, and from what is free', () => {
    const { charter, answers, faults: wrong } = drawn(room());
    expect(wrong).toEqual([]);
    expect(charter).toMatchObject({
      name: 'lr-cluster',
      site: 'lr',
      machineNetwork: 'lr-machine',
      // Six hosts: three members, and the rest.
      controlPlane: { count: 3 },
      workers: { count: 3 },
      pods: { range: '10.144.0.0/18', perNode: 24 },
      // Behind the pods, which took 10.144.0.0 to 10.144.63.255.
      services: { range: '10.144.64.0/20' },
      template: { name: 'room', version: 1 },
    });
    expect(answers.map((a) => a.why)).toEqual([
      'the site that it is begun at',
      'free, from the name of the site',
      '6 hosts at lr: the largest odd number up to three',
      '6 hosts at lr less 3 of the control plane',
      'the machine network of lr',
      'the first free /18 of 10.144.0.0/12',
      'the first free /20 of 10.144.0.0/12',
    ]);
  });
  it('what is answered stands, and what follows from it follows', () => {
    const { charter } = drawn(room(), [{ question: 'members', answer: '1' }]);
    expect([charter?.controlPlane.count, charter?.workers.count]).toEqual([1, 5]);
    expect(charter?.template?.answers).toEqual([{ question: 'members', answer: '1' }]);
  });
  it.each([
    [{ question: 'members', answer: 'three' }, 'How many members? "three" is no number of hosts'],
    [{ question: 'pods', answer: '10.144.0.0' }, 'Which pods? '],
    // A number of hosts, and none that a control plane can have.
    [{ question: 'members', answer: '12' }, 'How many members? controlPlane.count: '],
  ])('an answer that does not fit is told at its question: %j', (answer, says) => {
    const { charter, faults: wrong } = drawn(room(), [answer]);
    expect(charter).toBeUndefined();
    expect(wrong).toEqual([expect.objectContaining({ question: answer.question, message: expect.stringContaining(says) })]);
  });
  it('a question that nothing follows for waits to be answered', () => {
    const e = { ...room(), hosts: [] };
    expect(drawn(e).faults.map((f) => f.message)).toEqual([
      'How many members? It is not answered.',
      'How many workers? It is not answered.',
    ]);
  });
  it('no two clusters of it have one address, however many there are: property', () => {
    fc.assert(
      fc.property(fc.integer({ min: 2, max: 8 }), (n) => {
        const e = withClusters(room(), ...Array.from({ length: n }, (_, i) => called(`c${i}`)));
        const ranges = e.charters.flatMap((c) => [c.pods.range, c.services.range]);
        expect(new Set(ranges).size).toBe(2 * n);
        // And each still follows: nothing moves because a later one came.
        for (const c of e.charters) expect(departures(c, viewOf(e))).toEqual([]);
      }),
      { numRuns: 8 },
    );
  });
});

describe('where a cluster departs from its template', () => {
  const e = withClusters(room(), called('teal'), called('wigeon'));
  const teal = e.charters.find((c) => c.name === 'teal') as Charter;
  const after = (change: Partial<Charter>) => {
    const edited = applyEdits(e, put({ ...teal, ...change } as Charter));
    return departures(edited.charters.find((c) => c.name === 'teal') as Charter, viewOf(edited));
  };
  it('is told field by field, with what the template gives', () => {
    expect(after({ overlay: { kind: 'vxlan' }, owner: 'ferries' })).toEqual([
      { path: ['overlay', 'kind'], field: 'overlay.kind', before: 'geneve', after: 'vxlan', onPurpose: false },
      { path: ['owner'], field: 'owner', before: '', after: 'ferries', onPurpose: false },
    ]);
  });
  it('on purpose or not', () => {
    expect(
      after({
        overlay: { kind: 'vxlan' },
        template: { name: 'room', version: 1, answers: called('teal'), onPurpose: ['overlay'] },
      })?.map((d) => d.onPurpose),
    ).toEqual([true]);
  });
  it('a range that another has before it: of two the first by name moves', () => {
    // teal comes before wigeon, and has taken its range.
    const [moved] =
      after({ pods: { ...teal.pods, range: e.charters.find((c) => c.name === 'wigeon')?.pods.range as string } }) ?? [];
    expect([moved?.field, moved?.before, moved?.question]).toEqual(['pods.range', '10.144.0.0/18', 'pods']);
  });
  it('cannot be told of a version that is gone', () => {
    expect(after({ template: { name: 'room', version: 9 } })).toBeUndefined();
    expect(after({ template: { name: 'gone', version: 1 } })).toBeUndefined();
  });
});

describe('versions of a template', () => {
  it('one that fixes something else is the next, and keeps the one before', () => {
    const was = template();
    const is = withVersionKept(was, template({ charter: { ...fixed, release: '1.33.6' } }));
    expect([is.version, is.earlier?.map((v) => [v.version, v.charter.release])]).toEqual([2, [[1, '1.34.2']]]);
    const third = withVersionKept(is, {
      ...is,
      questions: is.questions.slice(0, -1),
      charter: { ...is.charter, services: { range: '10.129.0.0/18' } },
    });
    expect([third.version, third.earlier?.map((v) => v.version)]).toEqual([3, [1, 2]]);
  });
  it('another title, or the same again, is none', () => {
    const was = template();
    expect(withVersionKept(was, template({ title: 'Rooms' })).version).toBe(1);
    expect(withVersionKept(null, was)).toBe(was);
    const is = withVersionKept(was, template({ charter: { ...fixed, owner: 'x' } }));
    expect(withVersionKept(was, is)).toBe(is);
  });
  const next = withVersionKept(
    template(),
    template({ charter: { ...fixed, overlay: { kind: 'vxlan' }, timers: { tolerate: 60 } } }),
  );
  const [v1, v2] = [versionOf(next, 1), versionOf(next, 2)] as [
    NonNullable<ReturnType<typeof versionOf>>,
    NonNullable<ReturnType<typeof versionOf>>,
  ];
  const meant = (c: Charter): Charter => ({
    ...c,
    overlay: { kind: 'ipip' },
    template: { ...(c.template as NonNullable<Charter['template']>), onPurpose: ['overlay.kind'] },
  });
  const estate = () => {
    const e = withClusters(room(), called('teal'), called('wigeon'));
    return applyEdits(e, put(next, meant(e.charters.find((c) => c.name === 'wigeon') as Charter)));
  };
  it('what one changes against another: which clusters it reaches, how, and who stands apart', () => {
    const { fields, fail } = reachOf(next, v1, v2, viewOf(estate()));
    expect(fail).toEqual([]);
    expect(fields.map((f) => [f.field, f.before, f.after, f.reaches.map((r) => [r.charter, r.way]), f.apart])).toEqual([
      [
        'timers.tolerate',
        undefined,
        60,
        [
          ['teal', 'rolling'],
          ['wigeon', 'rolling'],
        ],
        [],
      ],
      ['overlay.kind', 'geneve', 'vxlan', [['teal', 'impossible']], ['wigeon']],
    ]);
  });
  it('a cluster that is brought to it has what it changes, and keeps what it has on purpose', () => {
    const e = estate();
    const brought = (name: string) => broughtTo(e.charters.find((c) => c.name === name) as Charter, viewOf(e), 2);
    expect(brought('teal')).toMatchObject({ overlay: { kind: 'vxlan' }, timers: { tolerate: 60 }, template: { version: 2 } });
    expect(brought('wigeon')).toMatchObject({ overlay: { kind: 'ipip' }, timers: { tolerate: 60 }, template: { version: 2 } });
    const after = applyEdits(e, put(brought('teal') as Charter));
    expect(departures(after.charters.find((c) => c.name === 'teal') as Charter, viewOf(after))).toEqual([]);
  });
  it('clusters of it are listed with how far each is, and sites without one behind them', () => {
    const more = kinds.Site.parse({
      kind: 'Site',
      name: 'mr',
      title: 'Mist Rock',
      form: 'sealed-room',
      reach: 'sealed',
      domain: 'mr.kestrelferries.example',
    });
    const rows = clustersOf(next, viewOf(applyEdits(estate(), put(more))));
    expect(rows.map((r) => [r.site, r.charter, r.version, r.differs?.map((d) => d.field)])).toEqual([
      ['lr', 'teal', 1, ['overlay.kind', 'timers.tolerate']],
      ['lr', 'wigeon', 1, ['overlay.kind', 'timers.tolerate']],
      ['mr', undefined, undefined, undefined],
    ]);
    // Five components and the pause image, three layers of which two are shared: all of it is there.
    expect(rows[0]?.images?.has).toBe(rows[0]?.images?.of);
  });
});

describe('a template that is wrong', () => {
  it('questions that follow from each other in a circle are named as one', () => {
    const round = (key: string, from: string, sets: string) => ({
      key,
      ask: key,
      sets: [sets],
      follows: { rule: 'same-as', from },
    });
    expect(
      faults({ questions: [...questions, round('a', 'b', 'owner'), round('b', 'c', 'purpose'), round('c', 'a', 'notes')] }),
    ).toEqual(['questions.7.follows: questions follow from each other in a circle: a → b → c → a. Give one of them a default.']);
  });
  it.each<[string, object, string]>([
    [
      'an answer of the wrong type for its field',
      { questions: questions.map((q) => (q.key === 'pods' ? { ...q, type: 'number', follows: undefined } : q)) },
      'questions.5.sets: pods.range takes no number: ',
    ],
    [
      'a field that no charter has',
      { questions: [...questions, { key: 'x', ask: 'x', sets: ['podz.range'] }] },
      'questions.7.sets: a charter has no field podz',
    ],
    [
      'two questions for one field',
      { questions: [...questions, { key: 'x', ask: 'x', sets: ['site'] }] },
      'questions.7.sets.0: site is filled by site already',
    ],
    [
      'a field that is neither fixed nor asked',
      { questions: questions.slice(1) },
      'charter.site: site is missing: it is neither fixed nor asked',
    ],
    ['a fixed value that no charter takes', { charter: { ...fixed, overlay: { kind: 'gre' } } }, 'charter.overlay.kind: '],
    [
      'a fixed field that no charter has',
      { charter: { ...fixed, overlai: {} } },
      'charter.overlai: a charter has no field overlai',
    ],
    [
      'a free prefix of nothing',
      { questions: questions.map((q) => (q.key === 'pods' ? { ...q, follows: { rule: 'free-prefix' } } : q)) },
      'questions.5.follows.within: a free prefix has a length, and a block that it comes from',
    ],
    [
      'the same as a question that is not there',
      { questions: questions.map((q) => (q.key === 'name' ? { ...q, follows: { rule: 'same-as', from: 'ship' } } : q)) },
      'questions.1.follows.from: there is no other question ship',
    ],
  ])('%s is told with its place', (_, more, says) => {
    expect(faults(more)).toEqual([expect.stringContaining(says)]);
  });
  it('of 5,000 lines is read, and told where it is wrong', () => {
    const many = Array.from({ length: 4980 }, (_, i) => `    - note-${i}`).join('\n');
    const text = `kind: Template\nname: long\nquestions: []\ncharter:\n  addons:\n${many}\n  site: lr\n`;
    const { faults: wrong } = readDocuments(text);
    expect(wrong.length).toBeGreaterThan(0);
    expect(wrong.find((f) => f.path === 'charter.addons')?.line).toBe(5);
  });
});

it('a template that is begun from a charter gives one like it, and asks what must differ', () => {
  const e = goodEstate();
  const [near] = e.charters as [Charter];
  const t = kinds.Template.parse(templateOf(near, e));
  const like = draw({ ...t }, [], viewOf(e), { site: 'lr' }).charter as Charter;
  expect(like.name).not.toBe(near.name);
  expect([like.release, like.overlay, like.workers, like.machineNetwork]).toEqual([
    near.release,
    near.overlay,
    near.workers,
    near.machineNetwork,
  ]);
  expect([like.pods.range, like.services.range]).not.toContain(near.pods.range);
  expect(readDocuments(starterText('Template', e, 'lr')).faults).toEqual([]);
});
