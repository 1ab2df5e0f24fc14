import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { seal, unseal } from '../src/auth/seal.ts';
import { ComputeWorker } from '../src/compute/compute-worker.ts';
import { Client, eventually, Installation } from './installation.ts';

const i = new Installation();
let c: Client;
beforeAll(async () => {
  await i.start();
  c = await i.as('warden');
});
afterAll(() => i.stop());

interface Entry {
  name: string;
  use: string;
  user: string;
}
const entries = async (who = c) => (await who.good<{ entries: Entry[] }>('GET', '/api/keyring')).entries;

describe('the keyring', () => {
  it('is shown to everybody by name and use, and its secrets to nobody', async () => {
    const secret = 'correct horse battery';
    await c.good('POST', '/api/keyring', { name: 'pier-bmc', use: 'bmc', user: 'admin', secret });
    const reader = await i.as('reader');
    expect(await entries(reader)).toContainEqual(expect.objectContaining({ name: 'pier-bmc', use: 'bmc', user: 'admin' }));
    for (const path of ['/api/keyring', '/api/estate', '/api/export', '/api/acts'])
      expect(JSON.stringify((await c.call('GET', path)).body)).not.toContain(secret);
    const rows = JSON.stringify(await i.running.ctx.db.query('select * from keyring'));
    expect(rows).not.toContain(secret);
    expect(rows).not.toContain(Buffer.from(secret).toString('hex'));
  });
  it('is put in, replaced and taken out by wardens only, and each is on record', async () => {
    for (const role of ['reader', 'planner', 'builder'] as const) {
      const who = await i.as(role);
      expect((await who.call('POST', '/api/keyring', { name: 'x', use: 'bmc', user: 'u', secret: 's' })).status).toBe(403);
      expect((await who.call('DELETE', '/api/keyring/pier-bmc')).status).toBe(403);
    }
    await c.good('POST', '/api/keyring', { name: 'pier-bmc', use: 'bmc', user: 'root', secret: 'another' });
    expect((await entries()).find((e) => e.name === 'pier-bmc')?.user).toBe('root');
    await c.good('DELETE', '/api/keyring/pier-bmc');
    expect((await entries()).some((e) => e.name === 'pier-bmc')).toBe(false);
    const acts = (await c.good<{ acts: { act: string; subject: string; who: string }[] }>('GET', '/api/acts')).acts.filter(
      (a) => a.subject === 'pier-bmc',
    );
    expect(acts.map((a) => [a.who, a.act])).toEqual([
      ['warden', 'removed from the keyring'],
      ['warden', 'added to the keyring'],
      ['warden', 'added to the keyring'],
    ]);
  });
  it('opens with its own key and name, and with nothing else', () => {
    const key = Buffer.alloc(32, 7);
    const sealed = seal(key, 'open sesame', 'lr-dns');
    expect(unseal(key, sealed, 'lr-dns')).toBe('open sesame');
    expect(() => unseal(key, sealed, 'bw-dns')).toThrow();
    expect(() => unseal(Buffer.alloc(32, 8), sealed, 'lr-dns')).toThrow();
    for (let at = 0; at < sealed.length; at += 5) {
      const other = Buffer.from(sealed);
      other[at] = (other[at] as number) ^ 1;
      expect(() => unseal(key, other, 'lr-dns')).toThrow();
    }
    expect(seal(key, 'open sesame', 'lr-dns').equals(sealed)).toBe(false);
  });
});

describe('the record', () => {
  it('says of every act who did it, newest first, and what can be undone', async () => {
    const planner = await i.as('planner');
    const { act } = await planner.good<{ act: number }>('POST', '/api/addresses/reserve', {
      network: 'lr-store',
      owner: { kind: 'hand', name: 'record desk' },
    });
    const acts = async () =>
      (await c.good<{ acts: { id: number; who: string; act: string; canUndo: boolean }[] }>('GET', '/api/acts')).acts;
    expect((await acts())[0]).toMatchObject({ id: act, who: 'planner', act: 'reserved', canUndo: true });
    await planner.good('POST', `/api/acts/${act}/undo`);
    expect((await acts()).slice(0, 2)).toMatchObject([
      { who: 'planner', act: 'undid: reserved', canUndo: true },
      { id: act, canUndo: false },
    ]);
    const again = await planner.call('POST', `/api/acts/${act}/undo`);
    expect([again.status, again.body.message]).toEqual([409, 'It has been undone already.']);
    expect((await planner.call('POST', '/api/acts/99999999/undo')).status).toBe(404);
  });
});

describe('a stream of events', () => {
  it('is not opened to who is not signed in, and a signed-out session opens none', async () => {
    const other = new Client(i.config.publicUrl);
    await other.signIn('reader', i.password);
    const ask = () => fetch(`${i.config.publicUrl}/api/events`, { headers: { cookie: other.cookie } });
    const open = await ask();
    expect(open.status).toBe(200);
    await open.body?.cancel();
    await other.good('POST', '/api/sign-out');
    expect((await ask()).status).toBe(401);
  });
});

describe('heavy work', () => {
  it('is done beside the event loop, many at once, each with its own answer', async () => {
    const compute = new ComputeWorker();
    const ask = (n: number) =>
      compute.run('readCsv', { text: `address\n10.0.0.${n}\n`, networks: [], standing: [], domains: {} });
    const answers = await Promise.all(Array.from({ length: 20 }, (_, n) => ask(n)));
    expect(answers.map((a) => a.lines[0]?.address)).toEqual(Array.from({ length: 20 }, (_, n) => `10.0.0.${n}`));
    await compute.close();
  });
  it('says what failed, and goes on with the next', async () => {
    const compute = new ComputeWorker();
    await expect(compute.run('readCsv', { text: null as never, networks: [], standing: [], domains: {} })).rejects.toThrow();
    const a = await compute.run('readCsv', { text: 'address\n', networks: [], standing: [], domains: {} });
    expect(a.lines).toEqual([]);
    await compute.close();
  });
});

describe('health', () => {
  it('tells a process that lives from one that reaches its database', async () => {
    const get = async (path: string) => (await fetch(`${i.config.publicUrl}${path}`)).status;
    expect([await get('/api/health'), await get('/api/ready')]).toEqual([200, 200]);
    await eventually(async () => (await get('/api/ready')) === 200, 'ready');
  });
});
