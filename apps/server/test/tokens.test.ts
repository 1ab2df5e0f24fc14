import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { NewToken, RecordedAct, Tokens } from '@praesidor/contract';
import { type Client, Installation } from './installation.ts';

/** Tokens of programs: what they may, for how long, and what is put down of it. */
const i = new Installation();
let iris: Client;
let warden: Client;
let planner: Client;
const make = (body: object, who = iris) => who.call<NewToken>('POST', '/api/me/tokens', body);
const made = async (name: string, acts: string[], who = iris) => {
  const a = await make({ name, acts, days: 30 }, who);
  expect(a.status, JSON.stringify(a.body)).toBe(201);
  return a.body;
};
/** As a program asks: with the token and nothing else. */
const by = async <T = Record<string, unknown>>(
  token: string,
  method: string,
  path: string,
  body?: unknown,
  more: Record<string, string> = {},
) => {
  const r = await fetch(i.config.publicUrl + path, {
    method,
    headers: { authorization: `Bearer ${token}`, ...(body === undefined ? {} : { 'content-type': 'application/json' }), ...more },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  return { status: r.status, body: (await r.json()) as T & { code?: string; message?: string; remedy?: string } };
};
const edit = (purpose: string) => ({
  why: 'by a pipeline',
  edits: [{ op: 'set', kind: 'Charter', key: 'plover', path: ['purpose'], value: purpose }],
});
const mine = async (who = iris) => (await who.good<Tokens>('GET', '/api/me/tokens')).tokens;

beforeAll(async () => {
  await i.start({ timeoutSeconds: 15 });
  iris = await i.as('builder');
  warden = await i.as('warden');
  planner = await i.as('planner');
});
afterAll(() => i.stop());

describe('a token', () => {
  it('is told once and kept as a digest; it does what it was made for, in the name of its person, and nothing else', async () => {
    const { token, id } = await made('nightly', ['plan.read', 'plan.edit']);
    expect(token).toMatch(/^praesidor-[\w-]{43}$/);
    const kept = JSON.stringify(await i.query('select * from token'));
    expect([kept.includes(token), kept.includes(token.slice(10))]).toEqual([false, false]);
    expect((await mine())[0]).toMatchObject({
      id,
      name: 'nightly',
      acts: ['plan.edit', 'plan.read'],
      usedAt: null,
      usedFrom: null,
    });
    expect((await by(token, 'GET', '/api/estate')).status).toBe(200);
    expect((await by(token, 'POST', '/api/edits', edit('traffic'))).status).toBe(200);
    expect((await mine())[0]).toMatchObject({ usedAt: expect.any(String), usedFrom: '127.0.0.1' });
    const { acts } = await iris.good<{ acts: RecordedAct[] }>('GET', '/api/acts?limit=2');
    expect(acts[0]).toMatchObject({
      who: 'builder',
      token: 'nightly',
      address: '127.0.0.1',
      act: 'by a pipeline',
      canUndo: true,
    });
    // Made in the browser: by no token.
    expect(acts[1]).toMatchObject({ who: 'builder', token: null, address: '127.0.0.1', act: 'made a token', subject: 'nightly' });
    const no = await by(token, 'POST', '/api/builds', { charter: 'plover' });
    expect([no.status, no.body]).toEqual([
      403,
      expect.objectContaining({
        message: 'The token nightly of builder was not made to run builds.',
        remedy: 'Make one that may: People, Tokens.',
      }),
    ]);
  });
  it('never is for accounts or for tokens, nor for more than its person may', async () => {
    const { token } = await made('all that may be', ['plan.read', 'builds.run']);
    for (const [method, path] of [
      ['GET', '/api/me'],
      ['GET', '/api/me/tokens'],
      ['POST', '/api/me/tokens'],
      ['POST', '/api/me/password'],
      ['GET', '/api/accounts'],
      ['POST', '/api/sign-out'],
    ] as const)
      expect((await by(token, method, path, method === 'POST' ? {} : undefined)).status, path).toBe(403);
    for (const acts of [['account.own'], ['accounts.manage'], ['keyring.change']]) {
      const a = await make({ name: 'more', acts, days: 1 });
      expect([a.status, a.body.message]).toEqual([403, `builder is builder: a token of builder is not made for ${acts[0]}.`]);
    }
    expect((await make({ name: 'own', acts: ['account.own'], days: 1 }, warden)).status).toBe(403);
    expect((await make({ name: 'none', acts: [], days: 1 })).status).toBe(422);
    expect((await make({ name: 'strange', acts: ['all'], days: 1 })).status).toBe(422);
    expect((await make({ name: 'long', acts: ['plan.read'], days: 367 })).status).toBe(422);
  });
  it('is held to the fields that its person may change', async () => {
    const { token } = await made('planner’s', ['plan.edit'], planner);
    const trust = {
      why: 'x',
      edits: [
        {
          op: 'set',
          kind: 'Registry',
          key: 'lr-registry',
          path: ['endpoint'],
          value: 'elsewhere.lr.kestrelferries.example:5000',
        },
      ],
    };
    const [own, its] = [await planner.call('POST', '/api/edits', trust), await by(token, 'POST', '/api/edits', trust)];
    expect([own.status, its.status]).toEqual([403, 403]);
    expect(its.body.message).toBe(own.body.message);
  });
  it('needs no page: but who sends one that is none is not taken for whose cookie came along', async () => {
    const { token } = await made('bare', ['plan.read', 'plan.edit']);
    expect((await by(token, 'POST', '/api/edits', edit('a'), { cookie: iris.cookie })).status).toBe(200);
    const other = await by(`${token}x`, 'GET', '/api/estate', undefined, { cookie: iris.cookie });
    expect([other.status, other.body.message]).toEqual([401, 'The token is not known here, or it has ended.']);
    // A cookie alone needs what the page was told.
    const r = await fetch(`${i.config.publicUrl}/api/edits`, {
      method: 'POST',
      headers: { cookie: iris.cookie, 'content-type': 'application/json' },
      body: JSON.stringify(edit('b')),
    });
    expect(r.status).toBe(403);
  });
  it('ends: at its day, when it is ended, and with the account; with a lower role it may less', async () => {
    const works = async (token: string) => (await by(token, 'GET', '/api/estate')).status;
    const dated = await made('dated', ['plan.read']);
    await i.query("update token set ends_at = now() - interval '1 second' where id = $1", [dated.id]);
    expect(await works(dated.token)).toBe(401);
    expect((await mine()).map((t) => t.name)).toContain('dated');
    const ended = await made('ended', ['plan.read']);
    expect((await planner.call('DELETE', `/api/me/tokens/${ended.id}`)).status).toBe(404);
    expect((await planner.call('DELETE', `/api/accounts/builder/tokens/${ended.id}`)).status).toBe(403);
    expect(await works(ended.token)).toBe(200);
    await warden.good('DELETE', `/api/accounts/builder/tokens/${ended.id}`);
    expect(await works(ended.token)).toBe(401);
    expect((await iris.call('DELETE', `/api/me/tokens/${ended.id}`)).status).toBe(404);
    const lowered = await made('lowered', ['plan.read', 'plan.edit'], planner);
    await warden.good('PATCH', '/api/accounts/planner', { role: 'reader' });
    expect([await works(lowered.token), (await by(lowered.token, 'POST', '/api/edits', edit('c'))).body.message]).toEqual([
      200,
      'To change the plan takes the role planner; planner is reader.',
    ]);
    await warden.good('PATCH', '/api/accounts/planner', { role: 'planner', disabled: true });
    expect(await works(lowered.token)).toBe(401);
    await warden.good('PATCH', '/api/accounts/planner', { disabled: false });
    expect(await works(lowered.token)).toBe(200);
  });
  it('has a name of its own: of two who make it at once one is told so', async () => {
    const both = await Promise.all([1, 2].map(() => make({ name: 'twice', acts: ['plan.read'], days: 1 })));
    expect(both.map((a) => a.status).sort()).toEqual([201, 409]);
    expect(
      (await warden.good<Tokens>('GET', '/api/accounts/builder/tokens')).tokens.filter((t) => t.name === 'twice'),
    ).toHaveLength(1);
  });
  it('of many people who edit at once: each act is put down by whom and by what it was asked', async () => {
    const [a, b] = [await made('first', ['plan.edit']), await made('second', ['plan.edit'], warden)];
    await Promise.all([
      ...['plover', 'gannet'].map((key, n) =>
        by([a, b][n]?.token ?? '', 'POST', '/api/edits', {
          why: `together ${key}`,
          edits: [{ op: 'set', kind: 'Charter', key, path: ['purpose'], value: `together ${n}` }],
        }),
      ),
      iris.good('POST', '/api/edits', {
        why: 'together tern',
        edits: [{ op: 'set', kind: 'Charter', key: 'tern', path: ['purpose'], value: 'together' }],
      }),
    ]);
    const { acts } = await iris.good<{ acts: RecordedAct[] }>('GET', '/api/acts?limit=3');
    expect(new Map(acts.map((x) => [x.act, `${x.who} ${x.token}`]))).toEqual(
      new Map([
        ['together plover', 'builder first'],
        ['together gannet', 'warden second'],
        ['together tern', 'builder null'],
      ]),
    );
  });
});
