import type { Rollout, RolloutBegun } from '@praesidor/contract';
import { type Charter, type Template, templateOf } from '@praesidor/core/model';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Client, eventually, Installation, prepare } from './installation.ts';
import { Plover } from './plover.ts';

/** Versions of templates, rolled out: over three ships, which are declared, and over plover, which stands. */
let i: Installation;
let c: Client;
const begin = (template: string, body: object, who = c) =>
  who.call<RolloutBegun & { message?: string }>('POST', `/api/templates/${template}/rollout`, body);
const act = (template: string, how: string) => c.call('POST', `/api/templates/${template}/rollout/${how}`);
const last = async (template: string) => (await c.good<Rollout>('GET', `/api/templates/${template}/rollout`)).last;
const stepsOf = async (template: string) => (await last(template))?.status.steps ?? {};
const reaches = (template: string, ...states: string[]) =>
  eventually(
    async () => {
      const run = await last(template);
      return run && states.includes(run.status.state) ? run : undefined;
    },
    `the roll-out is ${states.join(' or ')}`,
  );
const charter = async (name: string) => (await c.estate()).charters.find((x) => x.name === name) as Charter;
const docked = { when: 'docked', restHours: 0 };

beforeAll(async () => {
  i = await new Installation().start({ timeoutSeconds: 90 });
  c = await i.as('warden');
  await eventually(async () => {
    const { bills, registries } = (await c.estate()).observed;
    return bills['1.34.2'] && bills['inbound-router'] && ['ptl', 'dnl', 'tst'].every((s) => registries[`${s}-registry`]);
  }, 'bills and registries');
});
afterAll(() => i.stop());

describe('a version over ships', () => {
  it('is asked for by who runs builds everywhere, of clusters of the template, in a version that is known, once at a time', async () => {
    const waves = [['petrel']];
    expect((await begin('ship-edge', { version: 7, waves }, await i.as('planner'))).status).toBe(403);
    // Who may only here, may not where another of its clusters is.
    await c.good('PATCH', '/api/accounts/planner', { sites: { ptl: 'builder' } });
    const two = await begin('ship-edge', { version: 7, waves: [['petrel'], ['dunlin']] }, await i.as('planner'));
    expect([two.status, await last('ship-edge')]).toEqual([403, undefined]);
    await c.good('PATCH', '/api/accounts/planner', { sites: {} });
    expect((await begin('ship-edge', { version: 9, waves })).status).toBe(422);
    expect((await begin('ship-edge', { version: 7, waves: [['petrel'], ['petrel']] })).status).toBe(422);
    const strange = await begin('ship-edge', { version: 7, waves: [['petrel', 'plover']] });
    expect([strange.status, strange.body.message]).toEqual([422, 'plover is no cluster of ship-edge.']);
    expect((await begin('nothing', { version: 7, waves })).status).toBe(404);
    expect(await last('ship-edge')).toBeUndefined();
  });
  it('sends images ahead while ships are docked, brings the charters of the first wave, and stops where a finding stops one', async () => {
    const before = await charter('petrel');
    const { status, body } = await begin('ship-edge', { version: 7, waves: [['petrel'], ['dunlin', 'turnstone']], ...docked });
    expect(status, JSON.stringify(body)).toBe(201);
    const twice = await begin('ship-edge', { version: 7, waves: [['petrel']] });
    expect([twice.status, twice.body.message]).toEqual([409, 'Version 7 of ship-edge is under way: warden began that.']);
    // One ship is at sea, and is looked at again; the others have their images, and the first wave is changed.
    await eventually(async () => (await stepsOf('ship-edge'))['petrel/change']?.state === 'done', 'petrel is done');
    const now = await charter('petrel');
    expect([before.template?.version, before.release, now.template?.version, now.release]).toEqual([6, '1.33.6', 7, '1.34.2']);
    await eventually(async () => (await stepsOf('ship-edge'))['dunlin/bring']?.state === 'failed', 'dunlin is looked at');
    const steps = await stepsOf('ship-edge');
    expect([steps['dunlin/bring']?.text, steps['turnstone/ahead']?.state, steps['turnstone/ahead']?.text]).toEqual([
      'CHT-003 Pod range also belongs to petrel.',
      'waiting',
      expect.stringMatching(/^out of reach: .*nothing listens there/),
    ]);
    expect(Date.parse(steps['turnstone/ahead']?.until ?? '')).toBeGreaterThan(Date.now());
    expect((await last('ship-edge'))?.status.state).toBe('running');
  });
  it('goes on where that is settled, keeps what differs on purpose, and ends when somebody stops it', async () => {
    await c.good('POST', '/api/edits', {
      why: 'dunlin has its own range, and waits longer',
      edits: [
        { op: 'set', kind: 'Charter', key: 'dunlin', path: ['pods', 'range'], value: '10.144.64.0/18' },
        { op: 'set', kind: 'Charter', key: 'dunlin', path: ['timers'], value: { tolerate: 400 } },
        { op: 'set', kind: 'Charter', key: 'dunlin', path: ['template', 'onPurpose'], value: ['timers.tolerate'] },
      ],
    });
    for (const how of ['pause', 'continue', 'stop', 'resume'])
      expect([how, (await act('ship-edge', how)).status]).toEqual([how, 200]);
    let steps = {};
    await eventually(
      async () => {
        steps = await stepsOf('ship-edge');
        return (await stepsOf('ship-edge'))['dunlin/change']?.state === 'done';
      },
      () => `dunlin is done: ${JSON.stringify(steps)}`,
    );
    const now = await charter('dunlin');
    expect([now.template?.version, now.release, now.timers?.tolerate, now.pods.range]).toEqual([
      7,
      '1.34.2',
      400,
      '10.144.64.0/18',
    ]);
    expect((await act('ship-edge', 'stop')).status).toBe(200);
    expect((await charter('turnstone')).template?.version).toBe(5);
    const { acts } = await c.good<{ acts: { act: string; subject: string }[] }>('GET', '/api/acts?limit=200');
    expect(acts.filter((a) => a.subject === 'ship-edge').map((a) => a.act)).toEqual(
      expect.arrayContaining(['began a roll-out', 'a step failed', 'stopped a roll-out', 'resumed a roll-out']),
    );
    expect(acts.filter((a) => a.act === 'brought a charter to a version of its template').map((a) => a.subject)).toEqual([
      'dunlin',
      'petrel',
    ]);
  });
});

describe('a version over a cluster that stands', () => {
  let plover: Plover;
  const versioned = async (addons: string[]) => {
    const e = await c.estate();
    const t: Template = { ...templateOf(await charter('plover'), e), name: 'sealed-room' };
    await c.good('POST', '/api/edits', {
      why: `the room has ${addons.join(', ')}`,
      edits: [{ op: 'put', doc: { ...t, charter: { ...t.charter, addons } } }],
    });
  };
  beforeAll(async () => {
    plover = new Plover(i, c);
    await prepare(c);
    i.world.clock.setSpeed(3000);
    await c.good('POST', '/api/builds', { charter: 'plover' });
    await plover.done(1);
    await versioned(['inbound-router', 'log-shipper']);
    await plover.set('it is one of them', [['template'], { name: 'sealed-room', version: 1 }]);
    await versioned(['inbound-router']);
  });
  it('is a change of it, begun, proved, and waited for; a wave rests before the next', async () => {
    expect((await c.estate()).templates.find((t) => t.name === 'sealed-room')?.version).toBe(2);
    const { status, body } = await begin('sealed-room', { version: 2, waves: [['plover']], restHours: 0 });
    expect(status, JSON.stringify(body)).toBe(201);
    const run = await reaches('sealed-room', 'done', 'failed');
    expect(run.status.state, JSON.stringify(run.status.steps)).toBe('done');
    expect([(await charter('plover')).addons, await plover.due()]).toEqual([['inbound-router'], null]);
    const { builds } = await c.good<{ builds: { charter: string; number: number; title: string; state: string }[] }>(
      'GET',
      '/api/builds?charter=plover',
    );
    expect(builds[0]).toMatchObject({ number: 2, title: 'Apply changes to plover', state: 'done' });
    expect(run.status.steps['plover/change']?.text).toBe('Apply changes to plover: proved');
  });
  it('is taken back by the version before, where that can be', async () => {
    await begin('sealed-room', { version: 1, waves: [['plover']] });
    const run = await reaches('sealed-room', 'done', 'failed');
    expect([run.status.state, (await charter('plover')).addons, await plover.due()]).toEqual([
      'done',
      ['inbound-router', 'log-shipper'],
      null,
    ]);
  });
  it('fails with its change, and goes on when that was mended and resumed', async () => {
    i.plant('api-silent', 'plover');
    await begin('sealed-room', { version: 2, waves: [['plover']] });
    const broken = await reaches('sealed-room', 'done', 'failed');
    expect([broken.status.state, broken.status.steps['plover/change']?.text]).toEqual([
      'failed',
      expect.stringMatching(/^“Apply changes to plover” failed at plover /),
    ]);
    // Resumed before its change was, it fails as it did.
    await act('sealed-room', 'resume');
    await eventually(async () => (await stepsOf('sealed-room'))['plover/change']?.attempt === 2, 'it is tried again');
    expect((await reaches('sealed-room', 'done', 'failed')).status.state).toBe('failed');
    i.lift('api-silent', 'plover');
    await c.good('POST', '/api/builds/plover/4/resume');
    await act('sealed-room', 'resume');
    expect((await reaches('sealed-room', 'done', 'failed')).status.state).toBe('done');
  });
});
