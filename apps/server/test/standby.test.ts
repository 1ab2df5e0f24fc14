import type { Objects } from '../../../packages/standins/src/objects.ts';
import { check } from '@praesidor/core/checks';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { standbysDue } from '../src/areas/backups/standby.ts';
import { builtOrBroken, type Client, eventually, Installation, prepare } from './installation.ts';
import { backUp, backupEnded, backupsOf, declareVolume, deployVolume, standbyAtGannet } from './volume-of-plover.ts';

/** plover in a sealed room, and gannet of guests in another hall that keeps a standby copy of its workload: bytes on the hosts of both. */
let i: Installation;
let c: Client;
let there: Awaited<ReturnType<typeof deployVolume>>;
let here: Awaited<ReturnType<typeof deployVolume>>;
const tide = (n: number) => Buffer.from(`high water ${n}\n`.repeat(20_000));
const copy = async () => (await c.estate()).observed.backups.gannet?.standbys?.['ais-store'];
const findings = async (code: string) =>
  check(await c.estate())
    .findings.filter((f) => f.code === code)
    .map((f) => f.title);
const turn = (what: string, body: object = { turn: 'ais-store' }, who = c) =>
  who.call<{ id: number }>('POST', `/api/charters/gannet/standbys/ais-store/${what}`, body);
/** It is done, and came to its end. */
const turned = async (what: string, body?: object) => {
  const a = await turn(what, body);
  expect(a).toMatchObject({ status: 201 });
  return backupEnded(c, a.body.id, 'gannet');
};
/** As every minute; then to the end of what was begun. @returns whether anything was */
const looks = async (now?: number) => {
  const had = (await backupsOf(c, 'gannet')).last?.id;
  await standbysDue(i.running.ctx, now);
  const id = (await backupsOf(c, 'gannet')).last?.id;
  if (id === undefined || id === had) return undefined;
  return backupEnded(c, id, 'gannet');
};
const failed = (run: Awaited<ReturnType<typeof backupEnded>>) =>
  Object.entries(run.status.steps).flatMap(([id, s]) => (s.state === 'failed' ? [`${id}: ${s.text}`] : []));

beforeAll(async () => {
  // It is looked for what is due when the suite says so, and at no other moment.
  i = await new Installation().start({ timeoutSeconds: 20, settings: { minuteMs: 86_400_000 } });
  c = await i.as('warden');
  await prepare(c);
  await declareVolume(c);
  await c.good('POST', '/api/builds', { charter: 'plover' });
  here = await standbyAtGannet(i, c);
  expect((await builtOrBroken(c)).status.state).toBe('done');
  there = await deployVolume(i);
});
afterEach(() => {
  for (const f of i.world.faults.list()) i.world.faults.lift(f);
});
afterAll(() => i.stop());

describe('a standby copy', () => {
  it('takes the newest backup once there is one, has no pods, and says of when it is', async () => {
    there.write('tides/2026', tide(1));
    expect(await looks()).toBeUndefined();
    expect((await turn('activate', { turn: 'ais-store', silent: true })).body).toMatchObject({
      message: 'ais-store holds nothing yet.',
    });
    await backUp(c);
    const run = await looks();
    expect([run?.status.state, run?.createdBy]).toEqual(['done', 'Praesidor']);
    expect([here.read('tides/2026')?.equals(tide(1)), await here.pods(), await there.pods()]).toEqual([true, 0, 1]);
    const [newest] = (await backupsOf(c)).backups;
    expect(await copy()).toEqual({ state: 'follows', holds: newest?.at });
    // It holds the newest: nothing is read again, whoever of two servers looks.
    expect(await looks()).toBeUndefined();
    there.write('tides/2026', tide(2));
    await backUp(c);
    const { ctx } = i.running;
    await Promise.all([standbysDue(ctx), standbysDue(ctx)]);
    await eventually(
      async () => here.read('tides/2026')?.equals(tide(2)) && (await copy())?.holds === (await backupsOf(c)).backups[0]?.at,
      'the second one',
    );
    await eventually(async () => (await backupsOf(c, 'gannet')).last?.status.state === 'done', 'its end');
    expect(
      Number((await i.query<{ n: string }>("select count(*) as n from run where subject = 'gannet' and kind = 'backup'"))[0]?.n),
    ).toBe(2);
  });
  it('holds what it held where the newest backup is damaged, says why, and tries again later', async () => {
    const store = i.world.objects.get('bw-objects') as Objects;
    const blocks = () => store.keys('backups').flatMap(({ key }) => (key.startsWith('blocks/') ? [key] : []));
    const had = new Set(blocks());
    there.write('tides/2026', tide(3));
    await backUp(c);
    const held = (await copy())?.holds;
    const [block = ''] = blocks().filter((k) => !had.has(k));
    store.spoil('backups', block);
    const run = await looks();
    store.spoil('backups', block);
    expect(run?.status.state).toBe('failed');
    expect([here.read('tides/2026')?.equals(tide(2)), await copy()]).toEqual([
      true,
      { state: 'follows', holds: held, fault: expect.stringContaining('cannot be given back') },
    ]);
    expect(await looks()).toBeUndefined();
    expect((await looks(Date.now() + 16 * 60_000))?.status.state).toBe('done');
    expect([here.read('tides/2026')?.equals(tide(3)), (await copy())?.fault]).toEqual([true, undefined]);
  });
  it('holds nothing while what it has is neither the one nor the other, and is not activated then', async () => {
    there.write('tides/2026', tide(31));
    await backUp(c);
    here.spoil((s) => s.replaceAll('tar --extract --preserve', 'tar --extract --exclude=./tides/2026 --preserve'));
    expect((await looks())?.status.state).toBe('failed');
    here.spoil((s) => s.replaceAll(' --exclude=./tides/2026', ''));
    expect(await copy()).toEqual({
      state: 'follows',
      fault: expect.stringContaining('is another than the one that was backed up'),
    });
    expect((await turn('activate', { turn: 'ais-store', silent: true })).body).toMatchObject({
      message: 'ais-store holds nothing yet.',
    });
    expect((await looks(Date.now() + 16 * 60_000))?.status.state).toBe('done');
    expect([here.read('tides/2026')?.equals(tide(31)), (await copy())?.fault]).toEqual([true, undefined]);
  });
  it('is not backed up itself while it follows', async () => {
    const plan = (value: unknown) =>
      c.good('POST', '/api/edits', {
        why: 'a plan',
        edits: [{ op: 'set', kind: 'Charter', key: 'gannet', path: ['backups'], value }],
      });
    await plan([{ name: 'nightly', store: 'bw-objects', at: '0 2 * * *', keep: { last: 2 } }]);
    expect((await c.call('POST', '/api/charters/gannet/backups', {})).body).toMatchObject({
      message: 'No plan of gannet backs a volume up.',
    });
    await plan(undefined);
  });
  it('follows while the other cluster is backed up, and is activated when nobody writes or reads there', async () => {
    there.write('tides/2026', tide(32));
    await backUp(c);
    i.plant('store-slow', 'bw-objects');
    await standbysDue(i.running.ctx);
    const { id: follows = 0 } = (await backupsOf(c, 'gannet')).last ?? {};
    // To follow keeps nobody from making the next backup.
    const next = await c.call<{ id: number }>('POST', '/api/charters/plover/backups', {});
    expect(next.status).toBe(201);
    i.lift('store-slow', 'bw-objects');
    expect((await backupEnded(c, follows, 'gannet')).status.state).toBe('done');
    await backupEnded(c, next.body.id);
    i.plant('store-slow', 'bw-objects');
    const { id } = await c.good<{ id: number }>('POST', '/api/charters/plover/backups', {});
    expect((await turn('activate')).body).toMatchObject({
      message: 'Backup of ais-store/data of plover is under way: warden began that.',
    });
    i.lift('store-slow', 'bw-objects');
    await backupEnded(c, id);
    await looks();
  });
  it('is activated by who may, where its name is said, and once', async () => {
    expect((await turn('activate', undefined, await i.as('builder'))).status).toBe(403);
    expect((await turn('activate', { turn: 'ais' })).body).toMatchObject({ message: 'ais-store runs elsewhere afterwards.' });
    expect((await turn('give-back')).body).toMatchObject({ message: 'ais-store was not activated.' });
    expect((await c.call('POST', '/api/charters/gannet/standbys/other/activate', { turn: 'other' })).status).toBe(404);
    // Who says that the other one is gone is not believed while it answers.
    const wrong = await turned('activate', { turn: 'ais-store', silent: true });
    expect(failed(wrong)).toEqual(['silent/plover ais-store/data: plover answers: what runs there can be ended.']);
    expect([(await copy())?.state, await here.pods(), await there.pods()]).toEqual(['follows', 0, 1]);
  });
  it('loses nothing where both answer: what runs is ended there, backed up, and begins here', async () => {
    // Written after the newest backup.
    there.write('tides/2026', tide(4));
    const both = await Promise.all([turn('activate'), turn('activate')]);
    expect(both.map((b) => b.status).sort()).toEqual([201, 409]);
    const id = both.find((b) => b.status === 201)?.body.id ?? 0;
    // Nobody writes to volumes of the other cluster meanwhile.
    expect((await c.call('POST', '/api/charters/plover/backups', {})).status).toBe(409);
    const run = await backupEnded(c, id, 'gannet');
    expect([run.status.state, failed(run)]).toEqual(['done', []]);
    expect([here.read('tides/2026')?.equals(tide(4)), await here.pods(), await there.pods()]).toEqual([true, 1, 0]);
    expect(await copy()).toMatchObject({ state: 'active', by: 'warden', ended: true });
    expect((await turn('activate')).body).toMatchObject({ message: 'ais-store is active.' });
    // What is active follows nothing, whatever comes.
    expect(await looks()).toBeUndefined();
    expect(await findings('STO-037')).toEqual([]);
  });
  it('is not active at two places: another copy of the same is to be given back first', async () => {
    await c.good('POST', '/api/edits', {
      why: 'another',
      edits: [
        {
          op: 'set',
          kind: 'Charter',
          key: 'tern',
          path: ['standbys'],
          value: [{ workload: 'tickets', cluster: 'plover', of: 'ais-store' }],
        },
      ],
    });
    await i.query("insert into standby (charter, workload, state) values ('tern', 'tickets', 'active')");
    await i.query("update standby set state = 'follows' where charter = 'gannet'");
    expect((await turn('activate')).body).toMatchObject({ message: 'tickets of tern is active: it is a copy of the same.' });
    await i.query("delete from standby where charter = 'tern'");
    await i.query("update standby set state = 'active' where charter = 'gannet'");
  });
  it('is given back the same way, and follows again from there', async () => {
    here.write('tides/2026', tide(5));
    const run = await turned('give-back');
    expect([run.status.state, failed(run)]).toEqual(['done', []]);
    expect([there.read('tides/2026')?.equals(tide(5)), await there.pods(), await here.pods()]).toEqual([true, 1, 0]);
    const held = await copy();
    expect(held).toEqual({ state: 'follows', holds: (await backupsOf(c, 'gannet')).backups[0]?.at });
    // What it has is of that moment: nothing is to be read until there is a newer one.
    expect(await looks()).toBeUndefined();
    there.write('tides/2026', tide(6));
    await backUp(c);
    expect((await looks())?.status.state).toBe('done');
    expect(here.read('tides/2026')?.equals(tide(6))).toBe(true);
  });
  it('begins with what it holds where the other cluster is silent, and that is ended when it is heard again', async () => {
    there.write('tides/2026', tide(7));
    i.plant('api-silent', 'plover');
    const run = await turned('activate', { turn: 'ais-store', silent: true });
    expect([run.status.state, run.status.steps['silent/plover ais-store/data']?.text]).toEqual([
      'done',
      'plover does not answer',
    ]);
    expect([here.read('tides/2026')?.equals(tide(6)), await here.pods()]).toEqual([true, 1]);
    expect(await copy()).toMatchObject({ state: 'active', ended: false });
    expect(await findings('STO-037')).toEqual([
      'ais-store was activated while plover did not answer: ais-store may still run there',
    ]);
    expect(await looks()).toBeUndefined();
    i.lift('api-silent', 'plover');
    expect(await there.pods()).toBe(1);
    const end = await looks();
    expect([end?.status.state, end?.title]).toEqual(['done', expect.stringMatching(/^End of ais-store of plover/)]);
    expect([await there.pods(), (await copy())?.ended, await findings('STO-037')]).toEqual([0, true, []]);
    // It begins there again only by being given back.
    expect(await looks()).toBeUndefined();
    expect((await turned('give-back')).status.state).toBe('done');
    expect([there.read('tides/2026')?.equals(tide(6)), await there.pods()]).toEqual([true, 1]);
  });
  it('begins again where it was, when it is broken off before it began here', async () => {
    i.plant('store-full', 'bw-objects');
    there.write('tides/2026', tide(70));
    const run = await turned('activate');
    expect(failed(run)).toEqual([expect.stringMatching(/^copy\/plover ais-store\/data: .*no room left$/)]);
    i.lift('store-full', 'bw-objects');
    // Whoever goes on with it activates it.
    expect((await (await i.as('builder')).call('POST', '/api/charters/gannet/backups/resume')).status).toBe(403);
    // Ended there, and not begun here.
    expect([await there.pods(), await here.pods(), (await copy())?.state]).toEqual([0, 0, 'follows']);
    expect((await turned('give-back')).status.state).toBe('done');
    expect([await there.pods(), await here.pods(), there.read('tides/2026')?.equals(tide(70))]).toEqual([1, 0, true]);
    expect((await turn('give-back')).body).toMatchObject({ message: 'ais-store was not activated.' });
  });
  it('goes on where the server is ended in the middle of it', async () => {
    there.write('tides/2026', tide(8));
    i.plant('store-slow', 'bw-objects');
    const { body } = await turn('activate');
    await eventually(
      async () => (await backupsOf(c, 'gannet')).last?.status.steps['restore/ais-store/data']?.state === 'running',
      'it writes',
    );
    await i.restart();
    i.lift('store-slow', 'bw-objects');
    c = await i.as('warden');
    expect((await backupEnded(c, body.id, 'gannet')).status.state).toBe('done');
    expect([here.read('tides/2026')?.equals(tide(8)), await here.pods(), await there.pods()]).toEqual([true, 1, 0]);
  });
});
