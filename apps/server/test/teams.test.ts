import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { NewToken, RecordedAct } from '@praesidor/contract';
import { Checker } from '@praesidor/core/checks';
import type { Charter } from '@praesidor/core/model';
import { Client, eventually, Installation } from './installation.ts';

/** Teams and sites: whose cluster it is, how much they may take, and what people may do at single sites. */
const i = new Installation();
let warden: Client;
const password = 'night-watch-at-sea';

/** An account, signed in. */
async function person(login: string, more: object): Promise<Client> {
  await warden.good('POST', '/api/accounts', { login, name: login, password, ...more });
  const c = new Client(i.config.publicUrl);
  expect(await c.signIn(login, password)).toBe(200);
  return c;
}
const edit = (kind: string, key: string, path: (string | number)[], value: unknown) => ({
  why: 'tried',
  edits: [{ op: 'set', kind, key, path, value }],
});
const purpose = (key: string) => edit('Charter', key, ['purpose'], `by ${Math.random()}`);
const asked = async (c: Client, method: string, path: string, body?: unknown) => {
  const a = await c.call<{ held?: object }>(method, path, body);
  return [a.status, a.body.code, a.body.message] as const;
};
const team = (name: string, more: object = {}) =>
  warden.good('POST', '/api/edits', {
    why: 'a team',
    edits: [{ op: 'put', doc: { apiVersion: 'praesidor/v1', kind: 'Team', name, ...more } }],
  });
let plover: Charter;
/** A charter like plover, with another name; what may stand once alone is left out of it. */
const like = (name: string, more: object = {}) => {
  const { api: _, inbound: __, servicePool: ___, template: ____, nodePorts: _____, ...rest } = plover;
  return { ...rest, machineNetwork: 'lr-wide', name, ...more };
};
const has = async (name: string) =>
  (
    await i.query<{ hosts: number; addresses: number; clusters: number }>(
      `select (select count(*)::int from host_state where held_by in (select key from charter where team = $1)) as hosts,
        count(*)::int as addresses, count(distinct doc->'owner'->>'name')::int as clusters
       from reservation where doc->'owner'->>'kind' = 'charter' and doc->'owner'->>'name' in (select key from charter where team = $1)`,
      [name],
    )
  )[0] as { hosts: number; addresses: number; clusters: number };

beforeAll(async () => {
  await i.start({
    timeoutSeconds: 30,
    settings: { tokenRates: { reads: { perSecond: 1000, atOnce: 1000 }, writes: { perSecond: 5, atOnce: 20 } } },
  });
  warden = await i.as('warden');
  // A network with room for more than teams may take.
  await warden.good('POST', '/api/edits', {
    why: 'room',
    edits: [
      {
        op: 'put',
        doc: {
          apiVersion: 'praesidor/v1',
          kind: 'Network',
          name: 'lr-wide',
          site: 'lr',
          prefix: '10.62.64.0/22',
          gateway: '10.62.64.1',
          purpose: 'machine',
          vlan: 64,
        },
      },
    ],
  });
  plover = (await warden.good<{ doc: Charter }>('GET', '/api/charters/plover')).doc;
});
afterAll(() => i.stop());

describe('an allowance', () => {
  it('is never exceeded by two hundred who take of it at once, and none of their charters is lost', async () => {
    await team('radar', { allowance: { clusters: 30 } });
    const names = Array.from({ length: 200 }, (_, n) => `race-${n}`);
    const answers = await Promise.all(
      names.map((name) =>
        warden.call<{ held: { notHeld?: string } }>('PUT', `/api/charters/${name}`, {
          doc: like(name, { team: 'radar' }),
          version: 0,
        }),
      ),
    );
    expect(answers.filter((a) => a.status !== 200).map((a) => a.body.message)).toEqual([]);
    const refused = answers.flatMap((a) => a.body.held.notHeld ?? []);
    expect(refused).toHaveLength(170);
    expect(new Set(refused)).toEqual(new Set(['The team radar would have 31 of 30 clusters.']));
    expect((await has('radar')).clusters).toBe(30);
    const [{ n } = { n: 0 }] = await i.query<{ n: number }>("select count(*)::int as n from charter where team = 'radar'");
    expect(n).toBe(200);
    // One that holds nothing cannot be built, and holding it is refused with why; taking it away gives nothing back.
    const free = names.find((_, k) => answers[k]?.body.held.notHeld) as string;
    expect(await asked(warden, 'POST', `/api/charters/${free}/hold`)).toEqual([
      409,
      'beyond-allowance',
      'The team radar would have 31 of 30 clusters.',
    ]);
    // On a busy machine it is asked to come again.
    const [status, , why] = await eventually(async () => {
      const answer = await asked(warden, 'POST', '/api/builds', { charter: free });
      return answer[0] !== 503 && answer;
    }, 'it is known whether it may be built');
    expect([status, why]).toEqual([409, expect.stringContaining('radar would have 31 of 30 clusters')]);
    // Where one goes, the next has room.
    const taken = names.find((_, k) => !answers[k]?.body.held.notHeld) as string;
    await warden.good('DELETE', `/api/charters/${taken}`);
    expect((await asked(warden, 'POST', `/api/charters/${free}/hold`))[0]).toBe(200);
    expect((await has('radar')).clusters).toBe(30);
    // What is only declared goes again: every look at the estate would go through all of them.
    const declared = names.filter((name, k) => answers[k]?.body.held.notHeld && name !== free);
    await warden.good('POST', '/api/edits', {
      why: 'the race is over',
      edits: declared.map((key) => ({ op: 'drop', kind: 'Charter', key })),
    });
  });
  it('is asked by every door: by an address that is reserved by hand, one of a table, and a cluster that changes its team', async () => {
    await team('small', { allowance: { addresses: 3 } });
    await warden.good('PUT', '/api/charters/shag', { doc: like('shag', { team: 'small' }), version: 0 });
    const before = await has('small');
    expect(before).toMatchObject({ addresses: 2, clusters: 1 });
    const reserve = (n: number) =>
      Promise.all(
        Array.from({ length: n }, () =>
          warden.call('POST', '/api/addresses/reserve', { network: 'lr-wide', owner: { kind: 'charter', name: 'shag' } }),
        ),
      );
    // Together with others, who are not spoiled by it.
    const [given, other] = await Promise.all([
      reserve(4),
      warden.call('POST', '/api/addresses/reserve', { network: 'lr-wide', owner: { kind: 'hand', name: 'radar desk' } }),
    ]);
    expect([given.map((a) => a.status).sort(), other.status]).toEqual([[201, 409, 409, 409], 201]);
    expect((await has('small')).addresses).toBe(3);
    const table = 'network,address,owner kind,owner\nlr-wide,10.62.65.80,charter,shag\n';
    expect((await asked(warden, 'POST', '/api/addresses/import', { text: table }))[1]).toBe('beyond-allowance');
    expect((await asked(warden, 'POST', '/api/edits', edit('Charter', 'tern', ['team'], 'small')))[1]).toBe('beyond-allowance');
    expect(await i.query("select 1 from reservation where key = 'lr-wide/10.62.65.80'")).toEqual([]);
  });
  it('that was made smaller takes nothing away, and lets a cluster be changed that takes no more', async () => {
    await team('small', { allowance: { addresses: 1, hosts: 0 } });
    expect(
      (
        await asked(warden, 'PUT', '/api/charters/shag', { doc: like('shag', { team: 'small', purpose: 'other' }), version: 1 })
      )[0],
    ).toBe(200);
    // What was reserved by hand is none of its plan, and was given back; the rest it keeps.
    expect((await has('small')).addresses).toBe(2);
  });
  it('of a team that has clusters stays: the team is not deleted', async () => {
    const [status, code, why] = await asked(warden, 'POST', '/api/edits', {
      why: 'x',
      edits: [{ op: 'drop', kind: 'Team', key: 'small' }],
    });
    expect([status, code, why]).toEqual([409, 'in-use', 'Team small is in use: Charter shag is a cluster of it.']);
    expect(await asked(warden, 'PUT', '/api/charters/gull', { doc: like('gull', { team: 'none' }), version: 0 })).toEqual([
      422,
      'invalid',
      'There is no team none.',
    ]);
  });
});

describe('clusters of a team', () => {
  let inside: Client;
  let outside: Client;
  beforeAll(async () => {
    inside = await person('ina', { role: 'builder', teams: ['vessel-traffic'] });
    outside = await person('otto', { role: 'builder', teams: ['ticketing'] });
  });

  it('are changed by who is in it, and by wardens', async () => {
    expect((await asked(inside, 'POST', '/api/edits', purpose('plover')))[0]).toBe(200);
    expect((await asked(warden, 'POST', '/api/edits', purpose('plover')))[0]).toBe(200);
    expect(await asked(outside, 'POST', '/api/edits', purpose('plover'))).toEqual([
      403,
      'not-allowed',
      'The cluster plover belongs to the team vessel-traffic; otto is not in it.',
    ]);
  });
  it.each([
    ['POST', '/api/builds', { charter: 'plover' }],
    ['POST', '/api/charters/plover/hold', undefined],
    ['PUT', '/api/charters/plover', { doc: {}, version: 1 }],
    ['GET', '/api/charters/plover/kubeconfig', undefined],
    ['GET', '/api/charters/plover/kit.tar.gz', undefined],
    ['POST', '/api/charters/plover/prerequisites/measure', undefined],
    ['POST', '/api/charters/plover/proof', undefined],
    ['POST', '/api/builds/plover/1/stop', undefined],
    ['DELETE', '/api/charters/plover', undefined],
  ])('%s %s is refused to others', async (method, path, body) => {
    const [status, , why] = await asked(outside, method, path, body);
    expect([status, why]).toEqual([403, 'The cluster plover belongs to the team vessel-traffic; otto is not in it.']);
    expect((await asked(inside, method, path, body))[0]).not.toBe(403);
  });
  it('are looked at by everybody', async () => {
    // It was deleted by who may, a moment ago: here it is again.
    await warden.good('PUT', '/api/charters/plover', { doc: plover, version: 0 });
    expect((await asked(outside, 'GET', '/api/charters/plover'))[0]).toBe(200);
  });
  it('are declared with their team, and neither given to another nor taken out of it', async () => {
    const put = (name: string, doc: object, version: number) =>
      asked(inside, 'PUT', `/api/charters/${name}`, { doc, version, hold: false });
    const { team: _, ...none } = like('kite');
    expect(await put('kite', none, 0)).toEqual([
      403,
      'not-allowed',
      'kite has no team; ina declares clusters of vessel-traffic.',
    ]);
    expect((await put('kite', like('kite', { team: 'ticketing' }), 0))[0]).toBe(403);
    expect((await put('kite', like('kite'), 0))[0]).toBe(200);
    expect((await put('kite', { ...like('kite'), team: undefined }, 1))[2]).toBe(
      'To take kite out of its team takes the role warden; ina is builder.',
    );
    expect((await put('kite', like('kite', { team: 'ticketing' }), 1))[0]).toBe(403);
  });
  it('are not undone by others, nor controlled through a host that is held for them', async () => {
    await warden.good('POST', '/api/edits', purpose('plover'));
    const { acts } = await warden.good<{ acts: RecordedAct[] }>('GET', '/api/acts?limit=5');
    const act = acts.find((a) => a.canUndo && a.subject === 'Charter plover');
    expect(act).toBeDefined();
    expect((await asked(outside, 'POST', `/api/acts/${act?.id}/undo`))[0]).toBe(403);
    const [held] = await i.query<{ key: string }>("select key from host_state where held_by = 'tern' order by key limit 1");
    const light = (who: Client) => asked(who, 'POST', `/api/hosts/${held?.key}/bmc`, { act: 'light', on: true });
    expect(await light(inside)).toEqual([
      403,
      'not-allowed',
      `Host ${held?.key} belongs to the team ticketing; ina is not in it.`,
    ]);
    expect((await light(outside))[0]).not.toBe(403);
  });
  it('are no longer those of who is taken out of the team: at once, also for what goes on in their name', async () => {
    await warden.good('PATCH', '/api/accounts/ina', { teams: [] });
    expect((await asked(inside, 'POST', '/api/edits', purpose('plover')))[0]).toBe(403);
    await warden.good('PATCH', '/api/accounts/ina', { teams: ['vessel-traffic'] });
    expect((await asked(inside, 'POST', '/api/edits', purpose('plover')))[0]).toBe(200);
    expect(await asked(warden, 'PATCH', '/api/accounts/ina', { teams: ['vessel-traffic', 'none'] })).toEqual([
      422,
      'invalid',
      'There is no team none.',
    ]);
  });
});

describe('a role at single sites', () => {
  let rui: Client;
  beforeAll(async () => {
    rui = await person('rui', { role: 'reader', sites: { lr: 'builder' }, teams: ['vessel-traffic'] });
  });
  const allowed = async (path: string, body: unknown, method = 'POST') => (await asked(rui, method, path, body))[0] !== 403;

  it('counts there, and nowhere else', async () => {
    expect(await allowed('/api/edits', purpose('plover'))).toBe(true);
    expect(await asked(rui, 'POST', '/api/edits', edit('Network', 'bw-machine', ['vlan'], 77))).toEqual([
      403,
      'not-allowed',
      'To change the plan at bw takes the role planner; rui is reader there.',
    ]);
    expect(await allowed('/api/edits', edit('Network', 'lr-machine', ['vlan'], 77))).toBe(true);
    // What all sites share.
    expect(await allowed('/api/edits', edit('Release', '1.34.2', ['skew'], []))).toBe(false);
    expect(await allowed('/api/edits', edit('Team', 'vessel-traffic', ['title'], 'x'))).toBe(false);
    // From one site to another takes both.
    expect(await allowed('/api/edits', edit('Network', 'lr-machine', ['site'], 'bw'))).toBe(false);
    expect(await allowed('/api/addresses/reserve', { network: 'lr-machine', owner: { kind: 'hand', name: 'desk' } })).toBe(true);
    expect(await allowed('/api/addresses/reserve', { network: 'bw-machine', owner: { kind: 'hand', name: 'desk' } })).toBe(false);
    const move = (from: string, to: string) => ({ network: from, address: '10.62.8.99', to: { network: to }, restDays: 0 });
    expect([
      await allowed('/api/addresses/move', move('lr-machine', 'lr-machine')),
      await allowed('/api/addresses/move', move('lr-machine', 'bw-machine')),
    ]).toEqual([true, false]);
  });
  it('is asked of addresses and records by the network and the zone that they are of', async () => {
    const [{ key: there } = { key: '' }] = await i.query<{ key: string }>(
      "select key from reservation where network = 'bw-machine' limit 1",
    );
    const [{ key: here } = { key: '' }] = await i.query<{ key: string }>(
      "select key from reservation where network = 'lr-machine' and doc->'owner'->>'kind' <> 'charter' limit 1",
    );
    expect([
      await allowed('/api/edits', edit('Reservation', there, ['note'], 'x')),
      await allowed('/api/edits', edit('Reservation', here, ['note'], 'x')),
    ]).toEqual([false, true]);
    const record = (zone: string) => ({
      why: 'x',
      edits: [{ op: 'put', doc: { apiVersion: 'praesidor/v1', kind: 'Record', zone, name: 'pilot', type: 'TXT', value: '"x"' } }],
    });
    expect([
      await allowed('/api/edits', record('bw.kestrelferries.example')),
      await allowed('/api/edits', record('lr.kestrelferries.example')),
    ]).toEqual([false, true]);
  });
  it.each([
    ['POST', '/api/hosts/sweep', { site: 'lr', range: '10.62.7.0/28' }, { site: 'bw', range: '10.40.7.0/28' }],
    ['POST', '/api/registries/lr-registry/look', {}, undefined],
    ['POST', '/api/zones/lr.kestrelferries.example/read', {}, undefined],
    ['POST', '/api/shipments', { target: 'lr-registry', bills: ['1.34.2'] }, { target: 'bw-registry', bills: ['1.34.2'] }],
    [
      'POST',
      '/api/shipments/chain',
      { bills: ['1.34.2'], stops: [{ target: 'lr-registry' }, { target: 'lr-registry' }] },
      { bills: ['1.34.2'], stops: [{ target: 'lr-registry' }, { target: 'bw-registry' }] },
    ],
    ['POST', '/api/reach/measure', { to: '10.62.8.20', from: 'lr-01' }, { to: '10.40.8.20', from: 'bw-01' }],
  ])('%s %s there', async (method, path, here, there) => {
    expect(await allowed(path, here, method)).toBe(true);
    expect(await allowed(path.replace('lr-registry', 'bw-registry').replace('lr.kestrel', 'bw.kestrel'), there, method)).toBe(
      false,
    );
  });
  it('is asked of a table of addresses by the networks in it, of a finding by its site and its clusters', async () => {
    const table = (network: string, address: string) => ({ text: `address,network,owner\n${address},${network},desk\n` });
    expect([
      await allowed('/api/addresses/import', table('bw-machine', '10.40.8.120')),
      await allowed('/api/addresses/import', { text: `${table('lr-machine', '10.62.8.120').text}10.40.8.121,bw-machine,desk\n` }),
      await allowed('/api/addresses/import', table('lr-machine', '10.62.8.121')),
    ]).toEqual([false, false, true]);
    expect(
      await i.query(
        "select 1 from reservation where doc->'owner'->>'name' = 'desk' and host(address) in ('10.40.8.120', '10.62.8.120', '10.40.8.121')",
      ),
    ).toEqual([]);
    expect(await i.query("select 1 from reservation where host(address) = '10.62.8.121'")).toHaveLength(1);
    const found = new Checker().run(await warden.estate()).findings;
    const until = new Date(Date.now() + 86_400_000).toISOString();
    const accept = (site: string) => {
      const f = found.find((x) => x.site === site && x.severity !== 'stop');
      expect(f, site).toBeDefined();
      return allowed('/api/findings/accept', { finding: f?.id, reason: 'until the yard', until });
    };
    expect([await accept('lr'), await accept('bw')]).toEqual([true, false]);
  });
  it('is no role for what belongs to no site, and ends with the site’s name', async () => {
    for (const [method, path, body] of [
      ['POST', '/api/trust/installations', { name: 'x', key: 'y' }],
      ['GET', '/api/accounts', undefined],
      ['POST', '/api/hosts/works', { kind: 'firmware', hosts: ['bw-01'] }],
    ] as const)
      expect([path, await allowed(path, body, method)]).toEqual([path, false]);
    await warden.good('PATCH', '/api/accounts/rui', { sites: {} });
    expect(await allowed('/api/edits', purpose('plover'))).toBe(false);
    expect((await asked(warden, 'PATCH', '/api/accounts/rui', { sites: { xx: 'builder' } }))[2]).toBe('There is no site xx.');
  });
});

describe('a token that is kept to sites and a team', () => {
  const made = async (who: Client, body: object) => {
    const a = await who.call<NewToken>('POST', '/api/me/tokens', {
      name: `t${Math.random()}`,
      days: 1,
      acts: ['plan.read', 'plan.edit', 'builds.run', 'ledger.change'],
      ...body,
    });
    return { status: a.status, message: a.body.message, token: a.body.token };
  };
  const by = async (token: string, path: string, body?: unknown, headers: Record<string, string> = {}) => {
    const r = await fetch(i.config.publicUrl + path, {
      method: body === undefined ? 'GET' : 'POST',
      headers: {
        authorization: `Bearer ${token}`,
        ...(body === undefined ? {} : { 'content-type': 'application/json' }),
        ...headers,
      },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    return { status: r.status, body: (await r.json()) as { message?: string; act?: number }, headers: r.headers };
  };

  it('changes nothing elsewhere, though its person may', async () => {
    const lr = await made(warden, { sites: ['lr'] });
    expect((await by(lr.token, '/api/edits', purpose('plover'))).status).toBe(200);
    expect(await by(lr.token, '/api/edits', purpose('tern'))).toMatchObject({
      status: 403,
      body: { message: expect.stringMatching(/was made for the site lr alone, and the cluster tern is not there\.$/) },
    });
    // What all sites share is at none of them.
    expect((await by(lr.token, '/api/edits', edit('Release', '1.34.2', ['skew'], []))).status).toBe(403);
    expect(
      (await by(lr.token, '/api/addresses/reserve', { network: 'bw-machine', owner: { kind: 'hand', name: 'x' } })).status,
    ).toBe(403);
    expect(
      (await by(lr.token, '/api/addresses/reserve', { network: 'lr-machine', owner: { kind: 'hand', name: 'x' } })).status,
    ).toBe(201);
    const its = await made(warden, { team: 'ticketing' });
    expect([
      (await by(its.token, '/api/edits', purpose('tern'))).status,
      (await by(its.token, '/api/edits', purpose('plover'))).status,
    ]).toEqual([200, 403]);
    expect((await by(its.token, '/api/builds', { charter: 'plover' })).status).toBe(403);
    expect((await by(its.token, '/api/estate')).status).toBe(200);
  });
  it('is not made for a team that its person is not in, nor for what is not there', async () => {
    const otto = new Client(i.config.publicUrl);
    await otto.signIn('otto', password);
    expect(await made(otto, { team: 'aboard' })).toMatchObject({ status: 403, message: 'otto is not in the team aboard.' });
    expect(await made(otto, { team: 'none' })).toMatchObject({ status: 422 });
    expect(await made(otto, { sites: ['none'] })).toMatchObject({ status: 422 });
    expect((await made(otto, { team: 'ticketing', sites: ['bw'] })).status).toBe(201);
  });
  it('does with one key once what it is told twice, also at the same moment', async () => {
    const { token } = await made(warden, {});
    const body = { network: 'lr-machine', owner: { kind: 'hand', name: 'once' } };
    const twice = await Promise.all(
      [1, 2, 3].map(() => by(token, '/api/addresses/reserve', body, { 'idempotency-key': 'night-1' })),
    );
    const done = twice.filter((a) => a.status === 201);
    expect(done.length).toBeGreaterThan(0);
    expect(twice.every((a) => a.status === 201 || a.status === 409)).toBe(true);
    const again = await by(token, '/api/addresses/reserve', body, { 'idempotency-key': 'night-1' });
    expect([again.status, again.body, again.headers.get('idempotency-replayed')]).toEqual([201, done[0]?.body, 'true']);
    const [{ n } = { n: 0 }] = await i.query<{ n: number }>(
      "select count(*)::int as n from reservation where doc->'owner'->>'name' = 'once'",
    );
    expect(n).toBe(1);
    const other = await by(token, '/api/addresses/reserve', { ...body, count: 2 }, { 'idempotency-key': 'night-1' });
    expect([other.status, other.body.message]).toEqual([422, 'The key night-1 was used for something else.']);
    // What was refused may be asked for again.
    const refused = { ...body, network: 'none' };
    expect((await by(token, '/api/addresses/reserve', refused, { 'idempotency-key': 'night-2' })).status).toBeGreaterThanOrEqual(
      400,
    );
    expect((await by(token, '/api/addresses/reserve', body, { 'idempotency-key': 'night-2' })).status).toBe(201);
    expect((await by(token, '/api/addresses/reserve', body, { 'idempotency-key': 'two words' })).status).toBe(422);
  });
  it('keeps no answer that is told once, and does not do again what nobody knows of', async () => {
    const asked = await warden.call(
      'POST',
      '/api/me/tokens',
      { name: 'by key', acts: ['plan.read'], days: 1 },
      { 'idempotency-key': 'k1' },
    );
    expect([asked.status, asked.body.message]).toEqual([
      422,
      'This act is not done by a key: what it is told, or answers, is kept nowhere.',
    ]);
    expect((await warden.call('POST', '/api/keyring', { name: 'x' }, { 'idempotency-key': 'k2' })).status).toBe(422);
    expect(await i.query("select 1 from asked_once where key in ('k1', 'k2')")).toEqual([]);
    // As after a kill between the act and its answer.
    const { token } = await made(warden, {});
    const body = { network: 'lr-machine', owner: { kind: 'hand', name: 'unknown' } };
    await by(token, '/api/addresses/reserve', body, { 'idempotency-key': 'k3' });
    await i.query("update asked_once set status = null, answer = null where key = 'k3'");
    expect((await by(token, '/api/addresses/reserve', body, { 'idempotency-key': 'k3' })).status).toBe(409);
    expect((await i.query("select 1 from reservation where doc->'owner'->>'name' = 'unknown'")).length).toBe(1);
  });
  it('that asks without end is told when to come back; another one is answered meanwhile', async () => {
    const [hasty, calm] = [await made(warden, {}), await made(warden, {})];
    const answers = await Promise.all(
      Array.from({ length: 500 }, () =>
        by(hasty.token, '/api/addresses/release', { network: 'none', address: '10.0.0.1', restDays: 0 }),
      ),
    );
    const late = answers.filter((a) => a.status === 429);
    expect(late.length).toBeGreaterThan(20);
    expect(Number(late[0]?.headers.get('retry-after'))).toBeGreaterThanOrEqual(1);
    expect((await by(calm.token, '/api/edits', purpose('plover'))).status).toBe(200);
  });
});
