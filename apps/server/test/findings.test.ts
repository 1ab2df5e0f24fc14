import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { check } from '@praesidor/core/checks';
import { type Client, Installation } from './installation.ts';

const i = new Installation();
let planner: Client;
let reader: Client;
beforeAll(async () => {
  await i.start();
  [planner, reader] = [await i.as('planner'), await i.as('reader')];
});
afterAll(() => i.stop());

const inDays = (n: number) => new Date(Date.now() + n * 86_400_000).toISOString();
const found = async (code: string) => {
  const { findings, accepted } = check(await planner.estate());
  return { open: findings.filter((f) => f.code === code), lived: accepted.filter((f) => f.code === code) };
};
const accept = (c: Client, body: object) =>
  c.call('POST', '/api/findings/accept', { reason: 'a ship has room for three', until: inDays(60), ...body });

describe('a finding', () => {
  it('is accepted with a reason, a name and an end, on record, and stands apart then', async () => {
    const [f] = (await found('CHT-019')).open;
    const finding = f?.id ?? '';
    expect((await accept(reader, { finding })).status).toBe(403);
    expect((await accept(planner, { finding })).status).toBe(200);
    const { open, lived } = await found('CHT-019');
    expect([open, lived.map((x) => [x.accepted?.by, x.accepted?.reason])]).toEqual([
      [],
      [['planner', 'a ship has room for three']],
    ]);
    expect(await i.query("select act, subject from audit where act = 'accepted a finding'")).toEqual([
      { act: 'accepted a finding', subject: finding },
    ]);
    // Said again, the later reason counts; two at once end as one.
    const many = await Promise.all([1, 2, 3].map((n) => accept(planner, { finding, reason: `reason ${n}` })));
    expect(many.map((a) => a.status)).toEqual([200, 200, 200]);
    expect(await i.query('select count(*)::int as n from acceptance')).toEqual([{ n: 1 }]);
  });
  it('comes back when what it says changes, and can be taken back', async () => {
    const [f] = (await found('CHT-019')).lived;
    const finding = f?.id ?? '';
    await i.query("update acceptance set text = 'as it was before'");
    expect((await found('CHT-019')).open).toHaveLength(1);
    await accept(planner, { finding });
    const back = `/api/findings/accept?finding=${encodeURIComponent(finding)}`;
    expect((await reader.call('DELETE', back)).status).toBe(403);
    expect((await planner.call('DELETE', back)).status).toBe(200);
    expect((await planner.call('DELETE', back)).status).toBe(404);
    expect((await found('CHT-019')).open).toHaveLength(1);
  });
  it('that stops, is not there, or is accepted for ever or for nothing, is refused with what to do', async () => {
    const [stop] = (await found('ADR-001')).open;
    expect(await accept(planner, { finding: stop?.id })).toMatchObject({
      status: 409,
      body: { code: 'not-now', remedy: expect.stringContaining('margin') },
    });
    expect((await accept(planner, { finding: 'CHT-019 Charter nobody x' })).status).toBe(404);
    const [f] = (await found('CHT-019')).open;
    for (const wrong of [
      { until: inDays(-1) },
      { until: inDays(500) },
      { until: 'soon' },
      { reason: '' },
      { reason: 'two\nlines' },
    ])
      expect([wrong, (await accept(planner, { finding: f?.id, ...wrong })).status]).toEqual([wrong, 422]);
    expect(await i.query('select * from acceptance')).toEqual([]);
  });
});
