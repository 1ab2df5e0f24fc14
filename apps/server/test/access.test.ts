import { looks } from '@praesidor/core/access';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { placeOf } from '../src/access/where.ts';
import { Client, Installation } from './installation.ts';

const i = new Installation();
beforeAll(async () => {
  await i.start();
});
afterAll(() => i.stop());

it('a connection is kept for longer than is told, and closed where that is asked', async () => {
  const asked = await fetch(`${i.config.publicUrl}/api/ready`);
  await asked.text();
  const told = Number(/^timeout=(\d+)$/.exec(asked.headers.get('keep-alive') ?? '')?.[1]);
  expect(told).toBeGreaterThan(0);
  expect(i.running.app.server.keepAliveTimeout / 1000).toBeGreaterThanOrEqual(told + 10);
  const closed = await fetch(`${i.config.publicUrl}/api/ready`, { headers: { connection: 'close' } });
  await closed.text();
  expect(closed.headers.get('keep-alive')).toBeNull();
});

describe('signing in', () => {
  it('takes the right password and no other', async () => {
    const c = new Client(i.config.publicUrl);
    expect(await c.signIn('reader', 'wrong')).toBe(401);
    expect(await c.signIn('nobody', i.password)).toBe(401);
    expect(await c.signIn('reader', i.password)).toBe(200);
    expect((await c.call('GET', '/api/me')).body).toMatchObject({ login: 'reader', role: 'reader' });
    await c.call('POST', '/api/sign-out');
    expect((await c.call('GET', '/api/me')).status).toBe(401);
  });
  it('keeps neither session token nor password in the clear', async () => {
    const c = await i.as('reader');
    const rows = JSON.stringify([
      await i.running.ctx.db.query('select * from session'),
      await i.running.ctx.db.query('select * from account'),
    ]);
    expect(rows).not.toContain(c.cookie.split('=')[1]);
    expect(rows).not.toContain(i.password);
    expect(rows).toContain('$argon2id$');
  });
});

describe('roles, decided by the server', () => {
  it('refuse everything under /api to who is not signed in', async () => {
    const { paths } = (await (await fetch(`${i.config.publicUrl}/api/openapi.json`)).json()) as {
      paths: Record<string, Record<string, unknown>>;
    };
    const open = new Set([
      '/api/sign-in',
      '/api/sign-in/begin',
      '/api/sign-in/back',
      '/api/invitations/look',
      '/api/invitations/take',
      '/api/health',
      '/api/ready',
      '/api/openapi.json',
      '/api/docs',
      '/api/schema',
      '/api/schema/{kind}',
    ]);
    let asked = 0;
    for (const [path, methods] of Object.entries(paths))
      for (const method of Object.keys(methods)) {
        if (!path.startsWith('/api/') || open.has(path)) continue;
        const r = await fetch(i.config.publicUrl + path.replace(/\{\w+\}/g, '1'), { method: method.toUpperCase() });
        expect([path, method, r.status]).toEqual([path, method, 401]);
        asked++;
      }
    expect(asked).toBeGreaterThan(25);
  });
  it.each([
    ['reader', 'POST', '/api/addresses/reserve', { network: 'lr-machine', owner: { kind: 'hand', name: 'x' } }, 403],
    ['planner', 'POST', '/api/addresses/reserve', { network: 'lr-machine', owner: { kind: 'hand', name: 'x' } }, 201],
    ['planner', 'POST', '/api/builds', { charter: 'plover' }, 403],
    ['planner', 'POST', '/api/shipments', { target: 'lr-registry', bills: ['1.34.2'] }, 403],
    ['builder', 'POST', '/api/keyring', { name: 'x', use: 'bmc', user: 'u', secret: 's' }, 403],
    ['warden', 'POST', '/api/keyring', { name: 'x', use: 'bmc', user: 'u', secret: 's' }, 200],
    ['builder', 'GET', '/api/charters/tern/kubeconfig?role=administrator', undefined, 403],
    ['planner', 'GET', '/api/charters/plover/kubeconfig?role=edit', undefined, 403],
  ] as const)('%s, %s %s: %d', async (role, method, path, body, status) => {
    const a = await (await i.as(role)).call(method, path, body);
    expect(a.status).toBe(status);
    if (status === 403) expect(a.body.message).toContain(`is ${role}`);
  });
  it('are asked where something is done: every route has a place, but those of what all sites share', () => {
    const shared = new Set<string | undefined>([
      'accounts.manage',
      'cases.carry',
      'cases.accept',
      'keyring.change',
      'notices.manage',
      'proving.change',
      'registries.kit',
      'trust.change',
    ]);
    const lost = i.running.app.actsOfRoutes.filter(
      (r) => r.act !== undefined && r.method !== 'HEAD' && !looks(r.act) && !shared.has(r.act) && !placeOf(r.method, r.url),
    );
    expect(lost.map((r) => `${r.method} ${r.url}: ${r.act}`)).toEqual([]);
  });
  it('keep sites to wardens and pinned controllers to builders', async () => {
    const edit = async (role: 'planner' | 'builder' | 'warden', kind: string, key: string, path: string[], value: unknown) =>
      (await (await i.as(role)).call('POST', '/api/edits', { why: 'test', edits: [{ op: 'set', kind, key, path, value }] }))
        .status;
    expect(await edit('builder', 'Site', 'lr', ['timezone'], 'UTC')).toBe(403);
    expect(await edit('warden', 'Site', 'lr', ['timezone'], 'Europe/Lisbon')).toBe(200);
    const pin = Array(32).fill('AB').join(':');
    expect([
      await edit('planner', 'Host', 'bw-01', ['bmc', 'fingerprint'], pin),
      await edit('builder', 'Host', 'bw-01', ['bmc', 'fingerprint'], pin),
    ]).toEqual([403, 200]);
    expect(await edit('planner', 'Host', 'bw-01', ['unit'], 41)).toBe(200);
    expect(
      (
        await (
          await i.as('planner')
        ).call('POST', '/api/import', {
          text: 'apiVersion: praesidor/v1\nkind: Site\nname: x\ntitle: X\nform: hall\nreach: open\ndomain: x.example\n',
        })
      ).status,
    ).toBe(403);
  });
  it('refuse what another page would send', async () => {
    const c = await i.as('planner');
    expect(
      (
        await c.call(
          'POST',
          '/api/addresses/reserve',
          { network: 'lr-machine', owner: { kind: 'hand', name: 'x' } },
          { 'x-csrf-token': 'guessed' },
        )
      ).body.code,
    ).toBe('csrf');
  });
});

describe('bad input', () => {
  it('is named with its place and changes nothing', async () => {
    const c = await i.as('planner');
    const before = await c.estate();
    for (const [path, body, place] of [
      ['/api/addresses/reserve', { network: 'lr-machine', adress: '10.62.8.70', owner: { kind: 'hand', name: 'x' } }, 'adress'],
      ['/api/addresses/reserve', { network: 'lr-machine', address: '10.99.0.1', owner: { kind: 'hand', name: 'x' } }, 'address'],
      ['/api/hosts/sweep', { site: 'lr', range: '10.0.0.0/8' }, ''],
      ['/api/edits', { why: 'x', edits: [{ op: 'set', kind: 'Network', key: 'lr-machine', path: ['mtu'], value: 'big' }] }, ''],
      ['/api/edits', { why: 'x', edits: [{ op: 'put', doc: { kind: 'Record', zone: 'x' } }] }, 'name'],
      ['/api/import', { text: 'kind: Site\nnam: x\n' }, 'nam'],
    ] as const) {
      const a = await c.call('POST', path, body);
      expect([path, a.status >= 400 && a.status < 500, (a.body.message ?? '').length > 10]).toEqual([path, true, true]);
      if (place) expect(a.body.places?.map((p) => p.path)).toContain(place);
      if (place === 'adress') expect(a.body.message).toContain('did you mean address?');
    }
    const after = await c.estate();
    expect({ ...after, now: '' }).toEqual({ ...before, now: '', observed: after.observed });
  });
  it('is refused when it is too large, not JSON, or no such thing', async () => {
    const c = await i.as('planner');
    expect((await c.call('POST', '/api/addresses/reserve', 'x'.repeat(2_000_000))).status).toBe(413);
    expect((await c.call('POST', '/api/addresses/reserve', '{"a":')).status).toBe(400);
    expect((await c.call('GET', '/api/nothing')).body).toMatchObject({ code: 'not-found' });
    expect((await c.call('GET', '/boot/guessed/user-data')).status).toBe(404);
    expect((await c.call('GET', '/api/charters/..%2f..%2fetc/files')).status).toBeGreaterThanOrEqual(400);
  });
});

describe('two people', () => {
  it('a charter changed in the meantime is shown, not overwritten', async () => {
    const c = await i.as('planner');
    const other = await i.as('builder');
    const { doc, version } = await c.good<{ doc: { purpose: string }; version: number }>('GET', '/api/charters/turnstone');
    await other.good('PUT', '/api/charters/turnstone', { doc: { ...doc, purpose: 'theirs' }, version, hold: false });
    const a = await c.call<{ current: { doc: { purpose: string }; by: string; version: number } }>(
      'PUT',
      '/api/charters/turnstone',
      { doc: { ...doc, purpose: 'mine' }, version, hold: false },
    );
    expect(a.status).toBe(409);
    expect(a.body.current).toMatchObject({ by: 'builder', version: version + 1, doc: { purpose: 'theirs' } });
    await c.good('PUT', '/api/charters/turnstone', { doc: { ...doc, purpose: 'mine' }, version: version + 1, hold: false });
    const { revisions } = await c.good<{ revisions: { by: string }[] }>('GET', '/api/charters/turnstone');
    expect(revisions.slice(0, 2).map((r) => r.by)).toEqual(['planner', 'builder']);
  });
  it('the text and the sheet are one document', async () => {
    const c = await i.as('planner');
    const { version } = await c.good<{ version: number }>('GET', '/api/charters/turnstone');
    const text = (await c.good<{ text: string }>('GET', '/api/export')).text
      .split('---\n')
      .find((t) => t.includes('kind: Charter') && t.includes('name: turnstone')) as string;
    expect(
      (
        await c.call('PUT', '/api/charters/turnstone', {
          text: text.replace('owner: fleet', 'owner: fleet desk'),
          version,
          hold: false,
        })
      ).status,
    ).toBe(200);
    expect((await c.good<{ doc: { owner: string } }>('GET', '/api/charters/turnstone')).doc.owner).toBe('fleet desk');
    const bad = await c.call('PUT', '/api/charters/turnstone', {
      text: text.replace('count: 1', 'count: one'),
      version: version + 1,
    });
    expect([bad.status, bad.body.message?.includes('line')]).toEqual([422, true]);
  });
  it('a remedy is made in one piece, and undone in one piece', async () => {
    const c = await i.as('planner');
    const pool = async () => (await c.estate()).charters.find((x) => x.name === 'plover')?.servicePool?.range;
    const before = await pool();
    const { act } = await c.good<{ act: number }>('POST', '/api/edits', {
      why: 'move',
      edits: [{ op: 'set', kind: 'Charter', key: 'plover', path: ['servicePool', 'range'], value: '10.62.8.64-10.62.8.79' }],
    });
    expect(await pool()).toBe('10.62.8.64-10.62.8.79');
    await c.good('POST', `/api/acts/${act}/undo`);
    expect(await pool()).toBe(before);
    expect((await c.call('POST', `/api/acts/${act}/undo`)).status).toBe(409);
  });
});
