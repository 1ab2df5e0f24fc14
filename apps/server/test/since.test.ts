import type { WhatChanged } from '@praesidor/contract';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Client, eventually, Installation, type ShipmentAnswer, shipmentIn } from './installation.ts';

/** What somebody finds who comes back: what others changed, and how work ended. */
const i = new Installation();
let reader: Client;
let planner: Client;
beforeAll(async () => {
  await i.start({ timeoutSeconds: 5 });
  reader = await i.as('reader');
  planner = await i.as('planner');
});
afterAll(() => i.stop());

const since = (c: Client, from?: string) => c.good<WhatChanged>('GET', `/api/acts/since${from ? `?from=${from}` : ''}`);
const set = (c: Client, path: string[], value: unknown, key = 'tern') =>
  c.good('POST', '/api/edits', { why: 'x', edits: [{ op: 'set', kind: 'Charter', key, path, value }] });
/** Nobody waits half an hour: what was put down of somebody is moved back. */
const away = (login: string, minutes: number) =>
  i.query('update account set here_at = now() - make_interval(mins => $2) where login = $1', [login, minutes]);
const left = async (login: string) =>
  (await i.query<{ left_at: Date | null }>('select left_at from account where login = $1', [login]))[0]?.left_at;

describe('what changed since the last visit', () => {
  it('is nothing at the first one', async () => {
    expect(await since(reader)).toMatchObject({ from: null, plan: [], acts: [] });
  });
  it('begins where a visit ended: a pause of half an hour ends it, a shorter one does not', async () => {
    await away('reader', 29);
    await since(reader);
    expect(await left('reader')).toBeNull();
    await away('reader', 31);
    const before = Date.now() - 31 * 60_000;
    await eventually(async () => {
      await since(reader);
      return left('reader');
    }, 'the visit to have ended');
    expect(Math.abs(((await left('reader')) as Date).getTime() - before)).toBeLessThan(60_000);
  });
  it('is what others changed in the plan, from before to after, and not what one changed alone', async () => {
    await set(planner, ['purpose'], 'tides');
    await set(planner, ['purpose'], 'tides and currents');
    const tern = (await reader.estate()).charters.find((x) => x.name === 'tern');
    expect(tern?.purpose).toBe('tides and currents');
    const got = await since(reader);
    expect(got.plan).toEqual([
      expect.objectContaining({
        kind: 'Charter',
        key: 'tern',
        site: 'bw',
        how: 'changed',
        who: ['planner'],
        fields: [expect.objectContaining({ is: 'tides and currents' })],
      }),
    ]);
    expect(got.plan[0]?.fields[0]?.was).not.toBe('tides');
    expect(got.acts.filter((a) => a.who === 'reader')).toEqual([]);
    // The same moment, asked by who did it.
    expect((await since(planner, String(got.from))).plan).toEqual([]);
  });
  it('tells a change that was taken back as nothing', async () => {
    const before = (await reader.estate()).charters.find((x) => x.name === 'gannet')?.purpose;
    const from = new Date().toISOString();
    await set(planner, ['purpose'], 'nothing', 'gannet');
    await set(planner, ['purpose'], before, 'gannet');
    expect((await since(reader, from)).plan).toEqual([]);
  });
  it('tells an act that changed very many documents in one line, with how many', async () => {
    const from = new Date().toISOString();
    const names = Array.from({ length: 501 }, (_, n) => `many-${n}`);
    const text = names.map((n) => `apiVersion: praesidor/v1\nkind: Host\nname: ${n}\nsite: bw\n`).join('---\n');
    const warden = await i.as('warden');
    await warden.good('POST', '/api/import', { text });
    await set(planner, ['purpose'], 'beside many');
    const got = await since(reader, from);
    expect([got.plan.map((p) => p.key), got.unread]).toEqual([['tern'], 501]);
    expect(got.acts.map((a) => [a.who, a.documents])).toContainEqual(['warden', 501]);
    // Who did it is told nothing of it.
    expect((await since(warden, from)).unread).toBe(0);
    await warden.good('POST', `/api/acts/${got.acts.find((a) => a.documents === 501)?.id}/undo`);
  });
  it('tells how work ended, to who began it as well, and not what they did themselves', async () => {
    const from = new Date().toISOString();
    const builder = await i.as('builder');
    await eventually(async () => {
      const { observed } = await builder.estate();
      return observed.bills['1.33.6'] && observed.registries['bw-registry'];
    }, 'the bill');
    const { shipment } = await builder.good<{ shipment: ShipmentAnswer }>('POST', '/api/shipments', {
      target: 'bw-registry',
      bills: ['1.33.6'],
    });
    await builder.good('POST', `/api/shipments/${shipment.label}/start`);
    await shipmentIn(builder, shipment.label, 'landed');
    const told = await eventually(async () => {
      const a = (await since(builder, from)).acts.find((x) => x.about === 'ended');
      return a && [a.who, a.site, a.documents];
    }, 'its end to be told');
    expect(told).toEqual(['Praesidor', 'bw', 0]);
    // What they did themselves besides is not told.
    expect((await since(builder, from)).acts.filter((a) => a.who === 'builder' && !a.about)).toEqual([]);
    expect((await since(reader, from)).acts.filter((a) => a.who === 'builder' && !a.about)).not.toEqual([]);
  });
});
