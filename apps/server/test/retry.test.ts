import { afterAll, beforeAll, expect, it } from 'vitest';
import { buildOf, type Client, eventually, Installation, prepare } from './installation.ts';

/** A step that failed is tried again while the rest of its build goes on. */
const i = new Installation();
let c: Client;
const steps = async () => (await buildOf(c)).status.steps;
const retry = (how: object = {}) => c.call('POST', '/api/builds/plover/1/retry', how);

beforeAll(async () => {
  await i.start();
  c = await i.as('warden');
  await prepare(c);
  i.plant('disk-not-empty', 'lr-08');
  // Others take long, so that the build is under way for all of this.
  i.plant('node-never-boots', 'lr-07');
  await c.good('POST', '/api/builds', { charter: 'plover' });
});
afterAll(() => i.stop());

it('is refused while nothing has failed', async () => {
  await eventually(async () => (await buildOf(c)).status.state === 'running', 'it runs');
  expect(await retry()).toMatchObject({ status: 409, body: { message: 'No step of build 1 of plover has failed.' } });
});

it('tries what failed again, with what was allowed since, and touches nothing else', async () => {
  await eventually(async () => (await steps())['lr-08/system']?.state === 'failed', 'lr-08 fails');
  expect((await buildOf(c)).status.state).toBe('running');
  expect((await c.call('POST', '/api/builds/plover/1/resume', {})).status).toBe(409);
  expect((await retry({ erase: ['lr-03'] })).status).toBe(422);
  const before = Object.entries(await steps()).filter(([, s]) => s.state === 'done' || s.state === 'running');
  expect((await retry({ erase: ['lr-08'] })).status).toBe(200);
  await eventually(async () => (await steps())['lr-08/system']?.state === 'done', 'lr-08 is laid out');
  const after = await steps();
  expect(after['lr-08/system']?.attempt).toBe(2);
  expect(before.map(([id]) => [id, after[id]?.attempt])).toEqual(before.map(([id, s]) => [id, s.attempt]));
  expect(i.world.machines.get('lr-08')?.disks.get('HW70008L-D2')?.table).not.toBe('of somebody else');
  expect(await retry()).toMatchObject({ status: 409 });
});

it('is refused when the build has ended: then it is resumed', async () => {
  await eventually(async () => (await steps())['lr-07/system']?.state === 'failed', 'lr-07 is given up');
  await eventually(async () => (await buildOf(c)).status.state === 'failed', 'nothing else can go on');
  expect(await retry()).toMatchObject({ status: 409, body: { message: expect.stringContaining('is failed; to retry it') } });
});
