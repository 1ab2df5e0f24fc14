import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Invitation, Invited, NewPassword } from '@praesidor/contract';
import { Client, Installation } from './installation.ts';

/** Links with which people choose a password, and the passwords that are not taken. */
const i = new Installation();
let warden: Client;
const good = 'lantern over wet granite';
const nobody = () => new Client(i.config.publicUrl);
const make = (login: string) =>
  warden.good<NewPassword>('POST', '/api/accounts', { login, name: login, role: 'reader', invite: true });
const again = (login: string) => warden.good<Invitation>('POST', `/api/accounts/${login}/invitation`);
const look = (token: string) => nobody().call<Invited>('POST', '/api/invitations/look', { token });
const take = (token: string, password = good) =>
  nobody().call<{ login: string }>('POST', '/api/invitations/take', { token, password });

beforeAll(async () => {
  await i.start();
  warden = await i.as('warden');
});
afterAll(() => i.stop());

describe('an invitation', () => {
  it('is told once and kept as a digest; whoever has it chooses the password, once, and signs in with it', async () => {
    const made = await make('ana');
    const token = made.invitation?.token ?? '';
    expect([made.password, token.length]).toEqual([undefined, 43]);
    const kept = JSON.stringify(await i.query('select * from invitation'));
    expect(kept).not.toContain(token);
    expect((await look(token)).body).toMatchObject({ login: 'ana', name: 'ana', endsAt: expect.any(String) });
    expect((await take(token)).body).toEqual({ login: 'ana' });
    expect(await nobody().signIn('ana', good)).toBe(200);
    for (const a of [await look(token), await take(token, `${good} too`)])
      expect([a.status, a.body.message]).toEqual([404, 'This link has been used, has ended, or was replaced by another one.']);
    const acts = await i.query<{ who: string; act: string }>("select who, act from audit where subject = 'ana' order by id");
    expect(acts.map((a) => `${a.who} ${a.act}`)).toEqual(
      ['warden made an account', 'warden invited', 'ana took up an invitation', 'ana signed in'].filter((x) =>
        acts.some((a) => `${a.who} ${a.act}` === x),
      ),
    );
    expect(acts).toContainEqual({ who: 'ana', act: 'took up an invitation' });
    expect(JSON.stringify(await i.query('select detail from audit'))).not.toContain(token);
  });
  it('of two who use it at one moment lets the first', async () => {
    const { invitation } = await make('bea');
    const both = await Promise.all(
      ['one lamp at the pier', 'two lamps at the pier'].map((p) => take(invitation?.token ?? '', p)),
    );
    expect(both.map((a) => a.status).sort()).toEqual([200, 404]);
  });
  it('ends: after three days, with a later one, with a password that a warden sets, and with the account', async () => {
    await make('cleo');
    const [first, second] = [await again('cleo'), await again('cleo')];
    expect([(await look(first.token)).status, (await look(second.token)).status]).toEqual([404, 200]);
    const hours = (Date.parse(String(second.endsAt)) - Date.now()) / 3_600_000;
    expect([hours > 71.9, hours <= 72]).toEqual([true, true]);
    await i.query("update invitation set ends_at = now() - interval '1 second' where login = 'cleo'");
    expect([(await look(second.token)).status, (await take(second.token)).status]).toEqual([404, 404]);
    const third = await again('cleo');
    await warden.good('POST', '/api/accounts/cleo/password', {});
    expect((await take(third.token)).status).toBe(404);
    const fourth = await again('cleo');
    await warden.good('PATCH', '/api/accounts/cleo', { disabled: true });
    await warden.good('PATCH', '/api/accounts/cleo', { disabled: false });
    expect((await take(fourth.token)).status).toBe(404);
    await warden.good('PATCH', '/api/accounts/cleo', { disabled: true });
    expect((await warden.call('POST', '/api/accounts/cleo/invitation')).status).toBe(409);
    expect((await warden.call('POST', '/api/accounts/none/invitation')).status).toBe(404);
  });
  it('signs out who was signed in: the password is another one', async () => {
    const { invitation } = await make('dora');
    await take(invitation?.token ?? '');
    const dora = nobody();
    await dora.signIn('dora', good);
    expect((await dora.call('GET', '/api/me')).status).toBe(200);
    const { token } = await again('dora');
    expect((await dora.call('GET', '/api/me')).status).toBe(200);
    await take(token, 'gulls above the harbour');
    expect((await dora.call('GET', '/api/me')).status).toBe(401);
    expect([await nobody().signIn('dora', good), await nobody().signIn('dora', 'gulls above the harbour')]).toEqual([401, 200]);
  });
  it('is made by wardens alone', async () => {
    for (const role of ['reader', 'planner', 'builder'] as const)
      expect((await (await i.as(role)).call('POST', '/api/accounts/ana/invitation')).status).toBe(403);
  });
});

describe('a password that is guessed easily is refused by every door', () => {
  it.each([
    ['1234567890', 'many people have it'],
    ['Qwertyuiop', 'many people have it'],
    ['password2026!', 'many people have it'],
    ['!!dragon99!!', 'many people have it'],
    ['eva-eva-eva-1', 'it is the same again and again'],
    ['aaaaaaaaaaaa', 'it is the same again and again'],
    ['abcabcabcabc', 'it is the same again and again'],
    ['2026evangeline!', 'it is little more than the login'],
  ])('%s: %s', async (password, why) => {
    const login = password.includes('evangeline') ? 'evangeline' : 'eva';
    const a = await warden.call('POST', '/api/accounts', { login, name: 'Eva', role: 'reader', password });
    expect([a.status, a.body.message]).toEqual([422, `This password is guessed easily: ${why}.`]);
    const { token } = await again('ana');
    expect((await take(token, password)).status).toBe(password.includes('evangeline') ? 200 : 422);
    if (!password.includes('evangeline')) expect((await look(token)).status).toBe(200);
    const own = await warden.call('POST', '/api/me/password', { current: i.password, next: password });
    expect(own.status).toBe(password.includes('evangeline') ? 200 : 422);
    if (own.status === 200) await warden.good('POST', '/api/me/password', { current: password, next: i.password });
  });
  it.each(['correct horse battery', 'lantern over wet granite', 'dragons sleep at noon', 'x7!kq9#mv2$z'])(
    '%s is none of them',
    async (password) => {
      const a = await warden.call('POST', '/api/accounts/ana/password', { password });
      expect([a.status, a.body]).toEqual([200, {}]);
    },
  );
});
