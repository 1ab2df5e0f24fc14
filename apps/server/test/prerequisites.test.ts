import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Prerequisite } from '@praesidor/contract';
import { preflight } from '../src/areas/builds/steps/preflight.ts';
import { planOf } from '../src/areas/clusters/service.ts';
import { type Client, eventually, Installation } from './installation.ts';

const i = new Installation();
let builder: Client;
beforeAll(async () => {
  await i.start();
  builder = await i.as('builder');
  await eventually(async () => (await builder.estate()).observed.bills['1.33.6'], 'the bill of petrel');
});
afterAll(() => i.stop());

const list = async (of = 'petrel') =>
  (await builder.good<{ prerequisites: Prerequisite[] }>('GET', `/api/charters/${of}/prerequisites`)).prerequisites;
const measure = async (of = 'petrel') =>
  (await builder.good<{ prerequisites: Prerequisite[] }>('POST', `/api/charters/${of}/prerequisites/measure`)).prerequisites;
const one = (all: Prerequisite[], id: string) => all.find((p) => p.id === id);

const ntp = (value: string[] | undefined) =>
  builder.good('POST', '/api/edits', {
    why: 'x',
    edits: [{ op: 'set', kind: 'Charter', key: 'petrel', path: ['ntp'], value }],
  });

describe('what a build needs', () => {
  it('is listed before anything was measured, each with how it would be', async () => {
    const all = await list();
    expect(all.map((p) => p.state)).not.toContain('good');
    for (const id of ['findings', 'bmc ptl-1', 'resolver 10.40.0.53', 'time 10.70.0.60', 'mirror', 'images', 'disks', 'vlan'])
      expect(one(all, id)?.how).toMatch(/\w{5}/);
    expect(one(all, 'disks')?.measured).toBe(false);
  });
  it('is measured: controllers, resolvers, time, the mirror; each with when, and by whom', async () => {
    const before = Date.now();
    const all = await measure();
    expect(one(all, 'time 10.70.0.60')).toMatchObject({
      state: 'good',
      said: expect.stringMatching(/^answers, \d+ ms apart, stratum 2$/),
      by: 'builder',
    });
    expect(one(all, 'resolver 10.40.0.53')).toMatchObject({ state: 'good', said: 'answers' });
    // Nobody plays this one: it is silent, and said to be.
    expect(one(all, 'resolver 10.70.0.53')?.state).toBe('bad');
    expect(Date.parse(one(all, 'mirror')?.at ?? '')).toBeGreaterThanOrEqual(before);
    expect(
      await i.query("select who, detail->>'bad' is not null as bad from audit where act = 'measured what a build needs'"),
    ).toEqual([{ who: 'builder', bad: true }]);
  });
  it('what is wrong outside is found, and found good again when it is', async () => {
    await ntp(['10.70.0.61']);
    const silent = one(await measure(), 'time 10.70.0.61');
    expect(silent).toMatchObject({ state: 'bad', said: expect.stringContaining('does not answer') });
    await ntp(undefined);
    const all = await measure();
    expect([one(all, 'time 10.70.0.61'), one(all, 'time 10.70.0.60')?.state]).toEqual([undefined, 'good']);
  });
  it('a time server that is silent keeps no build; one with another time does, and is named', async () => {
    const said: string[] = [];
    const stopped = async () => {
      said.length = 0;
      const { plan, estate } = await planOf(i.running.ctx, 'petrel');
      const log = async (line: string) => void said.push(line);
      const signal = AbortSignal.timeout(120_000);
      const e = await preflight
        .run({ ctx: i.running.ctx, build: { steps: [] }, plan, estate, log, signal } as never)
        .catch((x: Error) => x.message);
      return Number(/^(\d+) thing/.exec(e)?.[1] ?? 0);
    };
    const well = await stopped();
    expect(said.join('\n')).toMatch(/Time server 10\.70\.0\.60: answers/);
    i.plant('time-wrong', '10.70.0.60');
    expect(await stopped()).toBe(well + 1);
    expect(said.join('\n')).toContain('Time server 10.70.0.60: it is 600.0 s ahead of the clock here');
    i.lift('time-wrong', '10.70.0.60');
    await ntp(['10.70.0.61']);
    expect(await stopped()).toBe(well);
    expect(said.join('\n')).toMatch(/Time server 10\.70\.0\.61: .*does not answer/);
    await ntp(undefined);
  });
  it('what nothing measures is confirmed by name, and kept; what is measured is not', async () => {
    const say = (c: Client, id: string, note = 'seen on both switches') =>
      c.call('POST', '/api/charters/petrel/prerequisites/confirm', { id, note });
    expect((await say(await i.as('planner'), 'vlan')).status).toBe(403);
    expect((await say(builder, 'vlan', 'x')).status).toBe(422);
    expect(await say(builder, 'mirror')).toMatchObject({ status: 409, body: { remedy: 'Measure it.' } });
    expect((await say(builder, 'nothing')).status).toBe(404);
    expect((await say(builder, 'vlan')).status).toBe(200);
    expect(one(await measure(), 'vlan')).toMatchObject({ state: 'confirmed', by: 'builder', said: 'seen on both switches' });
    expect(
      await i.query("select subject, detail->>'note' as note from audit where act = 'confirmed what a build needs'"),
    ).toEqual([{ subject: 'petrel', note: 'seen on both switches' }]);
  });
});
