import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type ActName, acts, roles } from '@praesidor/core/access';
import { type Client, Installation } from './installation.ts';

/** Every door asks the same decision: routes, edits, imports, undo. */
const i = new Installation();
const by = {} as Record<(typeof roles)[number], Client>;
beforeAll(async () => {
  await i.start();
  for (const r of roles) by[r] = await i.as(r);
});
afterAll(() => i.stop());

const site = async () => (await by.warden.estate()).sites.find((s) => s.name === 'lr');
const host = async (name: string) => (await by.warden.estate()).hosts.find((h) => h.name === name);
const edit = (c: Client, ...edits: object[]) => c.call('POST', '/api/edits', { why: 'test', edits });

describe('every route', () => {
  it('lets in whom its act lets in, and nobody else', async () => {
    const routes = i.running.app.actsOfRoutes.filter((r) => r.act);
    expect(routes.length).toBeGreaterThan(75);
    for (const { method, url, act } of routes) {
      // The stream of events goes on for ever, and who signs out is not there for the next.
      if (url === '/api/events' || url === '/api/sign-out') continue;
      for (const role of roles) {
        const path = url.replace(/:(\w+)/g, (_, p) => (p === 'id' || p === 'number' ? '987654' : p === 'act' ? 'stop' : 'nope'));
        const a = await by[role].call(method, path, method === 'GET' ? undefined : {});
        const lets = roles.indexOf(role) >= roles.indexOf(acts[act as ActName].role);
        expect([method, url, role, a.status === 403, a.status >= 500 && a.status !== 502]).toEqual([
          method,
          url,
          role,
          !lets,
          false,
        ]);
        if (!lets) expect(a.body.message).toContain(`takes the role ${acts[act as ActName].role}; ${role} is ${role}`);
      }
    }
  });
});

describe('an edit', () => {
  it.each([
    ['an empty path', []],
    ['a path in a path', [['bmc'], 'address']],
    ['a path of objects', [{ toString: 'bmc' }]],
    ['the kind', ['kind']],
    ['the version of the format', ['apiVersion']],
    ['a name of every object', ['__proto__', 'state']],
  ])('with %s is refused, whoever makes it', async (_, path) => {
    const before = await host('bw-01');
    for (const c of [by.planner, by.warden])
      expect((await edit(c, { op: 'set', kind: 'Host', key: 'bw-01', path, value: { kind: 'Host' } })).status).toBe(422);
    expect(await host('bw-01')).toEqual(before);
  });
  it('cannot make a document one of another kind or name', async () => {
    const s = await site();
    const a = await edit(by.planner, { op: 'set', kind: 'Charter', key: 'tern', path: [], value: { ...s, title: 'Mine' } });
    expect(a.status).toBe(422);
    expect(
      (await edit(by.warden, { op: 'set', kind: 'Host', key: 'bw-01', path: ['name'], value: 'bw-77' })).body.message,
    ).toContain('cannot become Host bw-77');
    expect(await site()).toEqual(s);
  });
  it('does not go round the states of hosts, also not as a whole document or in two steps', async () => {
    const h = (await by.warden.estate()).hosts.find((x) => x.site === 'bw' && x.state === 'fit');
    for (const e of [
      [{ op: 'set', kind: 'Host', key: h?.name, path: ['state'], value: 'serving' }],
      [{ op: 'put', doc: { ...h, state: 'serving' } }],
      [{ op: 'put', doc: { ...h, drained: true } }],
      [{ op: 'put', doc: { ...h, held: { charter: 'tern', role: 'worker' } } }],
      [
        { op: 'drop', kind: 'Host', key: h?.name },
        { op: 'put', doc: { ...h, state: 'serving' } },
      ],
    ])
      expect((await edit(by.builder, ...e)).status).toBe(409);
    expect(await host(h?.name ?? '')).toEqual(h);
  });
  it.each([
    ['nothing at all', { op: 'drop', kind: 'Host' }],
    ['a key with a NUL byte', { op: 'drop', kind: 'Host', key: 'a\u0000b' }],
    ['half a character', { op: 'set', kind: 'Charter', key: 'tern', path: ['purpose'], value: '\ud800' }],
    ['a NUL byte in a value', { op: 'set', kind: 'Charter', key: 'tern', path: ['purpose'], value: 'a\u0000' }],
  ])('of %s is refused in words', async (_, e) => {
    const a = await edit(by.planner, e);
    expect([a.status, (a.body.message ?? '').length > 10]).toEqual([422, true]);
  });
});

describe('an import', () => {
  it('changes no controller, no state and no site for a planner', async () => {
    const h = (await by.warden.estate()).hosts.find((x) => x.site === 'bw' && x.state === 'fit');
    for (const doc of [
      { ...h, bmc: { ...h?.bmc, address: '10.40.7.66' } },
      { ...h, bmc: { ...h?.bmc, credential: 'bmc-lr' } },
      { ...h, state: 'serving' },
      { ...(await site()), title: 'Mine' },
    ])
      expect((await by.planner.call('POST', '/api/import', { text: JSON.stringify(doc) })).status).toBeGreaterThanOrEqual(403);
    expect(await host(h?.name ?? '')).toEqual(h);
  });
  it('as a table neither', async () => {
    const text = 'name,bmc,credential\nbw-03,10.40.7.66,bmc-lr\n';
    const a = await by.planner.call('POST', '/api/hosts/import', { text, site: 'bw' });
    expect([a.status, a.body.message]).toEqual([
      403,
      expect.stringContaining('bmc.address of Host bw-03 takes the role builder'),
    ]);
  });
});

describe('undo', () => {
  it('takes what the act took', async () => {
    const pin = Array(32).fill('CD').join(':');
    const { act } = await by.builder.good<{ act: number }>('POST', '/api/edits', {
      why: 'pin',
      edits: [{ op: 'set', kind: 'Host', key: 'bw-04', path: ['bmc', 'fingerprint'], value: pin }],
    });
    expect((await by.planner.call('POST', `/api/acts/${act}/undo`)).status).toBe(403);
    expect((await host('bw-04'))?.bmc?.fingerprint).toBe(pin);
    await by.builder.good('POST', `/api/acts/${act}/undo`);
    const { act: titled } = await by.warden.good<{ act: number }>('POST', '/api/edits', {
      why: 'title',
      edits: [{ op: 'set', kind: 'Site', key: 'lr', path: ['title'], value: 'The Rock' }],
    });
    expect((await by.builder.call('POST', `/api/acts/${titled}/undo`)).status).toBe(403);
    await by.warden.good('POST', `/api/acts/${titled}/undo`);
    expect((await site())?.title).toBe('Lantern Rock');
  });
  it('takes back only what it did: another field that changed since stays', async () => {
    const set = (path: string[], value: unknown) =>
      by.planner.good<{ act: number }>('POST', '/api/edits', {
        why: 'x',
        edits: [{ op: 'set', kind: 'Network', key: 'bw-machine', path, value }],
      });
    const mtu = (await by.reader.estate()).networks.find((n) => n.name === 'bw-machine')?.mtu;
    const { act } = await set(['mtu'], 1400);
    await set(['vlan'], 499);
    await by.planner.good('POST', `/api/acts/${act}/undo`);
    expect((await by.reader.estate()).networks.find((n) => n.name === 'bw-machine')).toMatchObject({ mtu, vlan: 499 });
  });
  it('of what somebody changed since says who, and changes nothing', async () => {
    const set = (c: Client, value: unknown) =>
      c.good<{ act: number }>('POST', '/api/edits', {
        why: 'x',
        edits: [{ op: 'set', kind: 'Network', key: 'bw-machine', path: ['mtu'], value }],
      });
    const { act } = await set(by.planner, 1400);
    await set(by.builder, 1450);
    const a = await by.planner.call('POST', `/api/acts/${act}/undo`);
    expect([a.status, a.body.message]).toEqual([
      409,
      expect.stringMatching(/^It cannot be undone: mtu of Network bw-machine was changed since by builder/),
    ]);
    expect((await by.reader.estate()).networks.find((n) => n.name === 'bw-machine')?.mtu).toBe(1450);
  });
  it('of a document that somebody else deleted or filled says so', async () => {
    const doc = { kind: 'Network', name: 'bw-spare', site: 'bw', purpose: 'machine', prefix: '10.41.200.0/24' };
    const { act } = await by.planner.good<{ act: number }>('POST', '/api/edits', { why: 'x', edits: [{ op: 'put', doc }] });
    const taken = await by.planner.good<{ act: number }>('POST', '/api/addresses/reserve', {
      network: 'bw-spare',
      owner: { kind: 'hand', name: 'x' },
    });
    const a = await by.planner.call<{ uses: { by: string; act: { label: string } }[] }>('POST', `/api/acts/${act}/undo`);
    expect([a.status, a.body.code, a.body.uses[0]]).toEqual([
      409,
      'in-use',
      expect.objectContaining({
        by: 'Reservation bw-spare/10.41.200.1',
        act: expect.objectContaining({ label: 'Release the address' }),
      }),
    ]);
    await by.planner.good('POST', `/api/acts/${taken.act}/undo`);
    await by.planner.good('POST', `/api/acts/${act}/undo`);
    expect((await by.reader.estate()).networks.some((n) => n.name === 'bw-spare')).toBe(false);
  });
});

describe('what is in use', () => {
  it.each([
    ['Charter', 'tern', /^Charter tern is in use: Host bw-\d+ serves it/, 'Give the host back first.'],
    ['Host', 'bw-01', /^Host bw-01 is in use: .*Charter tern/, undefined],
    ['Network', 'bw-machine', /^Network bw-machine is in use/, undefined],
    ['Release', '1.34.2', /^Release 1.34.2 is in use: Charter \w+ is built from it/, 'Choose another release first.'],
    ['Registry', 'bw-registry', /^Registry bw-registry is in use: /, undefined],
    ['Zone', 'bw.kestrelferries.example', /in use/, undefined],
  ] as const)('%s %s cannot be deleted, and what uses it is named', async (kind, key, message, remedy) => {
    const there = async () => JSON.stringify(await by.warden.estate()).includes(`"${key}"`);
    const a = await edit(by.warden, { op: 'drop', kind, key });
    if (kind === 'Zone' && a.status === 200) return;
    expect([a.status, a.body.code, a.body.message]).toEqual([409, 'in-use', expect.stringMatching(message)]);
    if (remedy) expect(a.body.remedy).toBe(remedy);
    expect(await there()).toBe(true);
  });
  it('an address of a cluster that serves is not deleted by an edit either', async () => {
    const r = (await by.warden.estate()).reservations.find((x) => x.owner.kind === 'charter' && x.owner.name === 'tern');
    const a = await edit(by.planner, { op: 'drop', kind: 'Reservation', key: `${r?.network}/${r?.address}` });
    expect([a.status, a.body.message]).toEqual([409, expect.stringContaining('Charter tern serves with it')]);
  });
  it('goes together with what uses it', async () => {
    const network = { kind: 'Network', name: 'bw-gone', site: 'bw', purpose: 'machine', prefix: '10.41.201.0/24' };
    const address = { kind: 'Reservation', network: 'bw-gone', address: '10.41.201.9', owner: { kind: 'hand', name: 'x' } };
    await by.planner.good('POST', '/api/edits', {
      why: 'x',
      edits: [
        { op: 'put', doc: network },
        { op: 'put', doc: address },
      ],
    });
    await by.planner.good('POST', '/api/edits', {
      why: 'x',
      edits: [
        { op: 'drop', kind: 'Network', key: 'bw-gone' },
        { op: 'drop', kind: 'Reservation', key: 'bw-gone/10.41.201.9' },
      ],
    });
  });
});
