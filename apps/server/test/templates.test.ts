import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { check } from '@praesidor/core/checks';
import type { Charter, Template } from '@praesidor/core/model';
import { type Client, Installation } from './installation.ts';

const i = new Installation();
let planner: Client;
beforeAll(async () => {
  await i.start();
  planner = await i.as('planner');
});
afterAll(() => i.stop());

const template = async () => (await planner.estate()).templates.find((t) => t.name === 'ship-edge') as Template;
const charter = async (name: string) => (await planner.estate()).charters.find((c) => c.name === name) as Charter;
const set = (kind: string, key: string, path: (string | number)[], value: unknown) => ({ op: 'set', kind, key, path, value });
const edit = (...edits: object[]) => planner.call('POST', '/api/edits', { why: 'a test', edits });
const codes = async (name: string) =>
  check(await planner.estate())
    .findings.filter((f) => f.code.startsWith('TPL') && f.subject.name === name)
    .map((f) => f.code);

describe('a template', () => {
  it('that fixes something else is its next version; the one before is kept, and clusters say that they have it', async () => {
    expect((await template()).version).toBe(7);
    const { body } = await edit(
      set('Template', 'ship-edge', ['charter', 'owner'], 'ferries'),
      set('Template', 'ship-edge', ['title'], 'Aboard'),
    );
    const now = await template();
    expect([now.version, now.earlier?.map((v) => v.version), now.title]).toEqual([8, [5, 6, 7], 'Aboard']);
    expect(now.earlier?.at(-1)?.charter.owner).toBe('fleet');
    // Undone, it is as it was, with the number that it had.
    const { act } = body as unknown as { act: number };
    expect((await planner.call('POST', `/api/acts/${act}/undo`)).status).toBe(200);
    expect(await template()).toMatchObject({ version: 7, title: 'A cluster aboard', charter: { owner: 'fleet' } });
  });
  it('by import and by edit alike; another title is no version', async () => {
    const t = await template();
    const text = JSON.stringify({ ...t, charter: { ...t.charter, purpose: 'everything aboard' } });
    expect((await planner.call('POST', '/api/import', { text, file: 'ships.json', base: [t] })).status).toBe(200);
    expect((await template()).version).toBe(8);
    await edit(set('Template', 'ship-edge', ['title'], 'Ships'));
    expect((await template()).version).toBe(8);
  });
  it('whose versions are taken out by hand: what a cluster departs in cannot be said then, and nothing of the cluster is lost', async () => {
    expect((await edit(set('Template', 'ship-edge', ['earlier'], undefined))).status).toBe(200);
    // Where a cluster departs from a version that is gone cannot be said: it is told, and nothing of the cluster is lost.
    expect(await codes('petrel')).toEqual(['TPL-004', 'TPL-003']);
    expect(await charter('petrel')).toMatchObject({ release: '1.33.6', template: { version: 6 } });
  });
  it('is not deleted under its clusters; without them it is, and each says where it came from', async () => {
    const refused = await edit({ op: 'drop', kind: 'Template', key: 'ship-edge' });
    expect(refused).toMatchObject({ status: 409, body: { code: 'in-use', message: expect.stringContaining('came from it') } });
    const ships = ['petrel', 'dunlin', 'turnstone'];
    expect((await edit(...ships.map((s) => set('Charter', s, ['template'], undefined)))).status).toBe(200);
    expect((await edit({ op: 'drop', kind: 'Template', key: 'ship-edge' })).status).toBe(200);
    // Somebody takes a charter of it in again, from a file.
    await edit(set('Charter', 'dunlin', ['template'], { name: 'ship-edge', version: 7 }));
    expect(await codes('dunlin')).toEqual(['TPL-001']);
  });
  it.each([
    [
      { questions: [{ key: 'a', ask: 'A?', sets: ['owner'], follows: { rule: 'same-as', from: 'a' } }] },
      'there is no other question a',
    ],
    [{ charter: { site: 'lr', releas: 'x' } }, 'a charter has no field releas'],
    [{ questions: [{ key: 'a', ask: 'A?', type: 'number', sets: ['pods.range'] }] }, 'pods.range takes no number'],
  ])('that is wrong is refused with the place: %j', async (more, message) => {
    const text = JSON.stringify({ kind: 'Template', name: 'wrong', charter: {}, ...more });
    const r = await planner.call('POST', '/api/import', { text, file: 'wrong.json', base: [] });
    expect([r.status, JSON.stringify(r.body)]).toEqual([422, expect.stringContaining(message)]);
  });
});
