import { execFile } from 'node:child_process';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Client, eventually, Installation } from './installation.ts';

/** Accounts: made, disabled, changed, reset; sessions listed and ended; log-ins limited without locking anybody out. */
const i = new Installation();
let c: Client;
beforeAll(async () => {
  await i.start();
  c = await i.as('warden');
});
afterAll(() => i.stop());

interface Account {
  login: string;
  role: string;
  disabled: boolean;
  sessions: number;
}
const list = async () => (await c.good<{ accounts: Account[] }>('GET', '/api/accounts')).accounts;
const make = async (login: string, role = 'planner') =>
  (await c.good<{ password: string }>('POST', '/api/accounts', { login, name: `The ${login}`, role })).password;
const signedIn = async (login: string, password: string) => {
  const client = new Client(i.config.publicUrl);
  expect(await client.signIn(login, password)).toBe(200);
  return client;
};
const status = async (client: Client) => (await client.call('GET', '/api/me')).status;

describe('an account', () => {
  it('is made with a password that is shown once, signs in, and may do what its role may', async () => {
    const password = await make('ana');
    expect(password).toMatch(/^([a-z2-9]{4}-){4}[a-z2-9]{4}$/);
    expect((await c.call('POST', '/api/accounts', { login: 'ana', name: 'Ana', role: 'reader' })).status).toBe(409);
    const ana = await signedIn('ana', password);
    expect((await ana.call('GET', '/api/me')).body).toMatchObject({ login: 'ana', role: 'planner', name: 'The ana' });
    expect((await ana.call('GET', '/api/accounts')).status).toBe(403);
    expect(JSON.stringify(await i.query('select * from account'))).not.toContain(password);
  });
  it('that is disabled is signed out everywhere at once, and in again only when it is enabled', async () => {
    const password = await make('ben');
    const ben = await signedIn('ben', password);
    await c.good('PATCH', '/api/accounts/ben', { disabled: true });
    expect(await status(ben)).toBe(401);
    const again = new Client(i.config.publicUrl);
    expect(await again.signIn('ben', password)).toBe(401);
    await c.good('PATCH', '/api/accounts/ben', { disabled: false });
    expect(await again.signIn('ben', password)).toBe(200);
  });
  it('has its new role with the next request', async () => {
    const cleo = await signedIn('cleo', await make('cleo', 'reader'));
    const edit = () =>
      cleo.call('POST', '/api/edits', {
        why: 'x',
        edits: [{ op: 'set', kind: 'Mould', key: 'staging-node', path: ['title'], value: 'x' }],
      });
    expect((await edit()).status).toBe(403);
    await c.good('PATCH', '/api/accounts/cleo', { role: 'planner' });
    expect((await edit()).status).toBe(200);
    await c.good('PATCH', '/api/accounts/cleo', { role: 'reader' });
    expect((await edit()).status).toBe(403);
  });
  it('of the last warden keeps its role', async () => {
    for (const change of [{ role: 'builder' }, { disabled: true }]) {
      const a = await c.call('PATCH', '/api/accounts/warden', change);
      expect([a.status, a.body.message]).toEqual([409, expect.stringContaining('last warden')]);
    }
    await make('dora', 'warden');
    // Two that take each other's role at once: one of them stays.
    const dora = await signedIn('dora', (await c.good<{ password: string }>('POST', '/api/accounts/dora/password', {})).password);
    const answers = await Promise.all([
      c.call('PATCH', '/api/accounts/dora', { role: 'reader' }),
      dora.call('PATCH', '/api/accounts/warden', { role: 'reader' }),
    ]);
    expect(answers.filter((a) => a.status === 200)).toHaveLength(1);
    expect((await i.query<{ n: number }>("select count(*)::int as n from account where role = 'warden'"))[0]?.n).toBe(1);
    await i.query("update account set role = 'warden' where login = 'warden'");
  });
});

describe('a password', () => {
  it('is changed by its owner, who knows the present one; every other session ends', async () => {
    const first = await make('eva');
    const [here, there] = [await signedIn('eva', first), await signedIn('eva', first)];
    expect((await here.call('POST', '/api/me/password', { current: 'wrong', next: 'a new long password' })).status).toBe(422);
    expect((await here.call('POST', '/api/me/password', { current: first, next: 'short' })).body.places?.[0]).toMatchObject({
      path: 'next',
      message: 'a password has at least 10 characters',
    });
    await here.good('POST', '/api/me/password', { current: first, next: 'a new long password' });
    expect([await status(here), await status(there)]).toEqual([200, 401]);
    expect(await new Client(i.config.publicUrl).signIn('eva', first)).toBe(401);
    await signedIn('eva', 'a new long password');
  });
  it('is set anew by a warden, which ends every session', async () => {
    const finn = await signedIn('finn', await make('finn'));
    const { password } = await c.good<{ password: string }>('POST', '/api/accounts/finn/password', {});
    expect(await status(finn)).toBe(401);
    await signedIn('finn', password);
  });
});

describe('sessions', () => {
  it('are listed with where they come from, and ended one by one', async () => {
    const password = await make('gus');
    const [a, b] = [await signedIn('gus', password), await signedIn('gus', password)];
    const { sessions } = await a.good<{ sessions: { id: string; own: boolean; address: string }[] }>('GET', '/api/me/sessions');
    expect(sessions.map((s) => s.own).sort()).toEqual([false, true]);
    expect(sessions[0]?.address).toBe('127.0.0.1');
    await a.good('DELETE', `/api/me/sessions/${sessions.find((s) => !s.own)?.id}`);
    expect([await status(a), await status(b)]).toEqual([200, 401]);
    await c.good('DELETE', `/api/accounts/gus/sessions/${sessions.find((s) => s.own)?.id}`);
    expect(await status(a)).toBe(401);
    expect((await c.call('DELETE', `/api/me/sessions/${sessions[0]?.id}`)).status).toBe(404);
  });
  it('of the same browser end when it signs in again', async () => {
    const password = await make('hal');
    const hal = await signedIn('hal', password);
    const { cookie } = hal;
    const r = await fetch(`${i.config.publicUrl}/api/sign-in`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', cookie },
      body: JSON.stringify({ login: 'hal', password }),
    });
    expect(r.status).toBe(200);
    expect(await status(hal)).toBe(401);
    expect((await list()).find((x) => x.login === 'hal')?.sessions).toBe(1);
  });
  it('end by themselves after twelve hours', async () => {
    const ida = await signedIn('ida', await make('ida'));
    const [row] = await i.query<{ hours: number }>(
      "select extract(epoch from expires_at - created_at)::int / 3600 as hours from session where login = 'ida'",
    );
    expect(row?.hours).toBe(12);
    await i.query("update session set expires_at = now() - interval '1 second' where login = 'ida'");
    expect(await status(ida)).toBe(401);
  });
});

describe('wrong log-ins', () => {
  const tryFrom = (address: string, login: string, password: string) =>
    i.running.app.inject({ method: 'POST', url: '/api/sign-in', remoteAddress: address, payload: { login, password } });
  it('are limited by account and address together, so that the owner comes in from elsewhere', async () => {
    const password = await make('jan');
    const codes = [];
    for (let n = 0; n < 14; n++) codes.push((await tryFrom('10.9.9.9', 'jan', 'guess')).statusCode);
    expect(codes).toEqual([...Array(10).fill(401), ...Array(4).fill(429)]);
    expect((await tryFrom('10.9.9.9', 'jan', password)).statusCode).toBe(429);
    expect((await tryFrom('10.9.9.10', 'jan', password)).statusCode).toBe(200);
    // Other accounts from that address are not kept out either.
    expect((await tryFrom('10.9.9.9', 'reader', i.password)).statusCode).toBe(200);
  });
  it('a hundred at once are counted, not let through before the first is known to be wrong', async () => {
    await make('kim');
    const codes = (await Promise.all(Array.from({ length: 60 }, () => tryFrom('10.9.9.11', 'kim', 'guess')))).map(
      (r) => r.statusCode,
    );
    expect(codes.filter((x) => x === 401).length).toBeLessThanOrEqual(10);
  });
  it('from one address against many accounts leave each of them three tries there, and not none', async () => {
    await i.query("insert into sign_in_failure (login, address) select 'nobody' || n, '10.9.9.12' from generate_series(1, 60) n");
    const password = await make('lou');
    const codes = [];
    for (let n = 0; n < 4; n++) codes.push((await tryFrom('10.9.9.12', 'lou', 'guess')).statusCode);
    expect(codes).toEqual([401, 401, 401, 429]);
    expect((await tryFrom('10.9.9.13', 'lou', password)).statusCode).toBe(200);
  });
  it('behind a proxy that is trusted are counted by who asked it, and by the proxy otherwise', async () => {
    const forwarded = { 'x-forwarded-for': '10.9.9.66' };
    await i.running.app.inject({
      method: 'POST',
      url: '/api/sign-in',
      remoteAddress: '10.9.9.20',
      headers: forwarded,
      payload: { login: 'jan', password: 'x' },
    });
    expect((await i.query("select 1 from sign_in_failure where address = '10.9.9.66'")).length).toBe(0);
    expect((await i.query("select 1 from sign_in_failure where address = '10.9.9.20'")).length).toBe(1);
  });
});

describe('work in the name of somebody', () => {
  it('goes on only as long as that account may do it', async () => {
    const mia = await signedIn('mia', await make('mia', 'builder'));
    await i.query("insert into sweep (site, range, next, total, created_by) values ('bw', '10.40.7.0/25', 0, 128, 'mia')");
    await c.good('PATCH', '/api/accounts/mia', { role: 'planner' });
    const [row] = await i.query<{ id: number }>('select max(id) as id from sweep');
    await i.running.ctx.db.transaction((m) => i.running.ctx.queue.send(m, 'sweep', String(row?.id)));
    await eventually(
      async () => (await i.query<{ state: string }>(`select state from sweep where id = ${row?.id}`))[0]?.state === 'stopped',
      'the sweep to stop',
    );
    expect(await status(mia)).toBe(200);
  });
});

describe('npm run admin', () => {
  const root = join(import.meta.dirname, '../../..');
  const admin = (...args: string[]) =>
    promisify(execFile)(process.execPath, [join(root, 'scripts/admin.mjs'), ...args], {
      env: { ...process.env, DATABASE_URL: i.config.databaseUrl },
    }).then(
      (r) => ({ code: 0, ...r }),
      (e: { code: number; stdout: string; stderr: string }) => e,
    );
  it('lists, makes, disables and resets accounts over the database alone, and says what it does not know', async () => {
    const made = await admin('accounts', 'add', 'nora', 'warden', 'Nora', 'Rescue');
    const password = /password is (\S+)/.exec(made.stdout)?.[1] ?? '';
    expect([made.code, password.length]).toEqual([0, 24]);
    const nora = await signedIn('nora', password);
    expect((await admin('accounts', 'list')).stdout).toMatch(/^nora +warden +enabled +1 signed in +Nora Rescue$/m);
    await admin('accounts', 'disable', 'nora');
    expect(await status(nora)).toBe(401);
    expect(await admin('accounts', 'role', 'nora', 'king')).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('king is no role; roles are reader, planner, builder, warden'),
    });
    expect(await admin('accounts', 'enable', 'nobody')).toMatchObject({
      code: 1,
      stderr: expect.stringContaining('There is no account nobody'),
    });
    expect((await admin()).code).toBe(2);
    const { acts } = await c.good<{ acts: { who: string; act: string; subject: string }[] }>('GET', '/api/acts');
    expect(acts.filter((a) => a.who === 'admin').map((a) => `${a.act} ${a.subject}`)).toEqual([
      'disabled an account nora',
      'made an account nora',
    ]);
  });
});

describe('what it says of itself', () => {
  it('tells Prometheus how it fares, and names no document and no secret', async () => {
    const r = await fetch(`${i.config.publicUrl}/metrics`);
    const text = await r.text();
    expect(r.headers.get('content-type')).toContain('text/plain');
    for (const part of ['database', 'events', 'jobs']) expect(text).toContain(`praesidor_working{part="${part}"} 1`);
    expect(text).toMatch(/praesidor_request_seconds_count\{method="GET",route="\/api\/me",status="401"\} [1-9]/);
    expect(text).toMatch(/^praesidor_failed_log_ins_total [1-9]/m);
    for (const word of ['plover', 'kestrel', 'lantern-demo', 'jan']) expect(text).not.toContain(word);
  });
  it('has a page to read its API, with who may do what', async () => {
    const r = await fetch(`${i.config.publicUrl}/api/docs`);
    const text = await r.text();
    expect(text).toContain(
      '<h3><code>POST /api/builds</code></h3><p class="act">To run builds: <b>builder</b> or above (<code>builds.run</code>)</p>',
    );
    const { paths } = (await (await fetch(`${i.config.publicUrl}/api/openapi.json`)).json()) as { paths: Record<string, object> };
    for (const path of Object.keys(paths).filter((p) => p.startsWith('/api/')))
      expect(text).toContain(path.replace(/&/g, '&#38;'));
  });
  it('gives the whole record as JSON lines, oldest first', async () => {
    const { text } = await c.good<{ text: string }>('GET', '/api/acts/export');
    const lines = text
      .trim()
      .split('\n')
      .map((l) => JSON.parse(l) as { id: number; who: string; act: string; at: string });
    expect(lines.length).toBe((await i.query('select 1 from audit')).length);
    expect(lines.map((l) => l.id)).toEqual([...lines.map((l) => l.id)].sort((a, b) => a - b));
    expect(lines.some((l) => l.act === 'made an account' && l.who === 'warden')).toBe(true);
  });
});
