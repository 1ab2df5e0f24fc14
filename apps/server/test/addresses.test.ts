import type { EntityManager } from 'typeorm';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { updateFor } from '@praesidor/core/naming';
import { query, update } from '@praesidor/protocols/dns';
import { expire } from '../src/areas/addresses/ledger.ts';
import { driftOf, keyOfZone, readZone } from '../src/areas/addresses/zones.ts';
import { needIn } from '../src/estate/documents.ts';
import { loadEstate } from '../src/estate/load.ts';
import { type Client, eventually, Installation } from './installation.ts';

const i = new Installation();
let c: Client;
beforeAll(async () => {
  await i.start();
  c = await i.as('warden');
});
afterAll(() => i.stop());

const owner = { kind: 'hand', name: 'radar desk' };
const reserve = (body: object) =>
  c.call<{ reservations: { address: string }[]; act: number }>('POST', '/api/addresses/reserve', {
    network: 'lr-machine',
    owner,
    ...body,
  });
const taken = (a: Awaited<ReturnType<typeof reserve>>) => a.body.reservations.map((r) => r.address);

describe('reserving', () => {
  it('gives the next free, a named one, and several in a row', async () => {
    expect(taken(await reserve({}))).toEqual(['10.62.8.2']); // .0 network, .1 gateway
    expect(
      taken(await reserve({ address: '10.62.8.90', name: 'radar.lr.kestrelferries.example', mac: '72:B5:E8:00:00:01' })),
    ).toEqual(['10.62.8.90']);
    // .9 is the registry's and .20 to .31 are set aside: eight in a row begin at .10
    expect(taken(await reserve({ count: 8 }))).toEqual(Array.from({ length: 8 }, (_, k) => `10.62.8.${10 + k}`));
  });
  it('refuses what is taken, saying what to do', async () => {
    expect((await reserve({ address: '10.62.8.9' })).body).toMatchObject({
      code: 'held-twice',
      remedy: 'Take the next free one.',
    });
  });
  it('is undone as one act', async () => {
    const made = await reserve({ count: 3 });
    await c.good('POST', `/api/acts/${made.body.act}/undo`);
    const left = new Set((await c.estate()).reservations.map((r) => r.address));
    expect(taken(made).some((a) => left.has(a))).toBe(false);
  });
  it('never gives one address to two, however many ask at once', async () => {
    const answers = await Promise.all(Array.from({ length: 40 }, () => reserve({ network: 'bw-machine' })));
    expect(answers.map((a) => a.status)).toEqual(Array(40).fill(201));
    expect(new Set(answers.flatMap(taken)).size).toBe(40);
  });
  it('lets one of many have a named address', async () => {
    const answers = await Promise.all(Array.from({ length: 20 }, () => reserve({ address: '10.62.8.95' })));
    expect(answers.map((a) => a.status).sort()).toEqual([201, ...Array(19).fill(409)]);
  });
});

describe('reserving as one wishes', () => {
  const tide = { network: 'lr-store', owner: { kind: 'hand', name: 'tide desk' } }; // 10.62.9.0/26
  it('behind an address, the highest, aligned, apart, and out of a pool by its name', async () => {
    expect(taken(await reserve({ ...tide, after: '10.62.9.20' }))).toEqual(['10.62.9.21']);
    expect(taken(await reserve({ ...tide, how: 'highest' }))).toEqual(['10.62.9.62']);
    expect(taken(await reserve({ ...tide, count: 4, align: 16 }))).toEqual([
      '10.62.9.16',
      '10.62.9.17',
      '10.62.9.18',
      '10.62.9.19',
    ]);
    // free: .1–.15, .20, .22–.61; the widest is the last, its middle .41; then .42–.61 is wider than .22–.40, its middle .51
    expect(taken(await reserve({ ...tide, count: 2, how: 'spread' }))).toEqual(['10.62.9.41', '10.62.9.51']);
    expect(taken(await reserve({ pool: 'virtual' }))[0]).toMatch(/^10\.62\.8\.2[2-9]$/);
    expect((await reserve({ pool: 'dock' })).body.message).toBe('lr-machine has no pool dock; it has virtual, nodes, lease.');
    expect((await reserve({ ...tide, count: 40 })).body.message).toContain('has no 40 free addresses in a row');
  });
  it('gives one back to rest: nobody is given it, but whoever asks for it by name', async () => {
    const [a] = taken(await reserve(tide)) as [string];
    const { resting } = await c.good<{ resting: boolean }>('POST', '/api/addresses/release', {
      network: 'lr-store',
      address: a,
      restDays: 7,
    });
    expect(resting).toBe(true);
    expect(taken(await reserve(tide))).not.toEqual([a]);
    expect(taken(await reserve({ ...tide, address: a }))).toEqual([a]);
    expect((await reserve({ ...tide, address: a })).body.message).toBe(`${a} is reserved already, for tide desk.`);
  });
  it('moves one with its name, MAC and owner, and back again', async () => {
    await reserve({ ...tide, address: '10.62.9.50', name: 'gauge.lr.kestrelferries.example', mac: '72:b5:e8:00:00:99' });
    const m = await c.good<{ reservation: { address: string; name: string; mac: string }; act: number }>(
      'POST',
      '/api/addresses/move',
      { network: 'lr-store', address: '10.62.9.50', to: { network: 'lr-machine', address: '10.62.8.88' }, restDays: 1 },
    );
    expect(m.reservation).toMatchObject({
      address: '10.62.8.88',
      name: 'gauge.lr.kestrelferries.example',
      mac: '72:b5:e8:00:00:99',
    });
    const find = async (a: string) => (await c.estate()).reservations.find((r) => r.address === a);
    expect(await find('10.62.9.50')).toMatchObject({ resting: true });
    expect((await find('10.62.9.50'))?.name).toBeUndefined();
    await c.good('POST', `/api/acts/${m.act}/undo`);
    expect([await find('10.62.8.88'), (await find('10.62.9.50'))?.name]).toEqual([undefined, 'gauge.lr.kestrelferries.example']);
  });
  it('lets what has run out rest, and what has rested go', async () => {
    const past = new Date(Date.now() - 1000).toISOString();
    const [a] = taken(await reserve({ ...tide, until: past })) as [string];
    await expire(i.running.ctx);
    const find = async () => (await c.estate()).reservations.find((r) => r.address === a);
    expect(await find()).toMatchObject({ resting: true });
    await i.running.ctx.db.query("update reservation set doc = jsonb_set(doc, '{until}', to_jsonb($2::text)) where key = $1", [
      `lr-store/${a}`,
      past,
    ]);
    await expire(i.running.ctx);
    expect(await find()).toBeUndefined();
  });
  it('knows who had an address, and who had it on a day', async () => {
    const past = await c.good<{ history: { address: string; until: string | null; doc: { owner: { name: string } } }[] }>(
      'GET',
      '/api/addresses/history?address=10.62.9.50',
    );
    expect(past.history.map((h) => [h.doc.owner.name, h.until === null])).toEqual([
      ['tide desk', true],
      ['tide desk', false],
      ['tide desk', false],
    ]);
    const then = await c.good<{ history: { address: string }[] }>(
      'GET',
      '/api/addresses/history?network=lr-machine&at=2026-06-15T00:00:00Z',
    );
    expect(then.history.map((h) => h.address)).toEqual(['10.62.8.61']); // the chart plotter, since February
    const { levels, room } = await c.good<{ levels: { taken: number }[]; room: number }>('GET', '/api/networks/lr-store/levels');
    expect([levels.at(-1)?.taken, room]).toEqual([
      (await c.estate()).reservations.filter((r) => r.network === 'lr-store').length,
      64,
    ]);
  });
});

describe('the ledger as a table', () => {
  const csv = (text: string, more: object = {}) =>
    c.call<{ new: number; changed: number; same: number; wrong: number; act?: number }>('POST', '/api/addresses/import', {
      text,
      ...more,
    });
  it('goes out and comes in again without changing anything', async () => {
    const { text } = await c.good<{ text: string }>('GET', '/api/addresses/files/ledger.csv');
    const before = (await c.estate()).reservations;
    expect((await csv(text)).body).toMatchObject({ new: 0, changed: 0, wrong: 0, same: before.length });
    expect((await c.estate()).reservations).toEqual(before);
  });
  it('is shown before it is taken, and is one transaction', async () => {
    const text = 'IP;Hostname;MAC address;Contact\n10.62.9.40;crane;72-B5-E8-00-01-01;crane desk\n10.62.9.400;x;;y\n';
    const p = (
      await c.call<{ lines: { line: number; what: string; message: string }[]; counts: object }>(
        'POST',
        '/api/addresses/preview',
        { text, site: 'lr' },
      )
    ).body;
    expect(p.lines).toMatchObject([
      { line: 2, what: 'new' },
      { line: 3, what: 'wrong', message: '"10.62.9.400" is not an address' },
    ]);
    const refused = await csv(text, { site: 'lr' });
    expect([refused.status, refused.body.places]).toEqual([422, [{ line: 3, message: '"10.62.9.400" is not an address' }]]);
    expect((await c.estate()).reservations.some((r) => r.address === '10.62.9.40')).toBe(false);
    const taken = await csv(text, { site: 'lr', leaveOut: true });
    expect((await c.estate()).reservations.find((r) => r.address === '10.62.9.40')).toMatchObject({
      name: 'crane.lr.kestrelferries.example',
      mac: '72:b5:e8:00:01:01',
      owner: { kind: 'hand', name: 'crane desk' },
      origin: 'imported',
    });
    await c.good('POST', `/api/acts/${taken.body.act}/undo`);
    expect((await c.estate()).reservations.some((r) => r.address === '10.62.9.40')).toBe(false);
  });
});

describe('many at once', () => {
  it('two transactions that wait for each other are both made in the end', async () => {
    const { db } = i.running.ctx;
    const lock = (m: EntityManager, network: string) =>
      m.query('select 1 from ledger_state where network = $1 for update', [network]);
    let met = 0;
    const both = (a: string, b: string) =>
      db.transaction(async (m) => {
        await lock(m, a);
        met++;
        // Each goes on when the other has its first lock: then the two wait for each other, once.
        await eventually(async () => met >= 2, 'both hold one', 3000);
        await lock(m, b);
        return [a, b];
      });
    expect(await Promise.all([both('lr-machine', 'lr-store'), both('lr-store', 'lr-machine')])).toHaveLength(2);
    expect(met).toBeGreaterThan(2); // one of them was made again
  });
  it('a change that was looked at before somebody else changed the same is refused, and nothing of theirs is lost', async () => {
    const { revision } = await c.good<{ revision: number }>('GET', '/api/estate');
    const set = (value: number, more: object) =>
      c.call('POST', '/api/edits', {
        why: 'MTU',
        edits: [{ op: 'set', kind: 'Network', key: 'lr-up-a', path: ['mtu'], value }],
        ...more,
      });
    expect((await set(1400, {})).status).toBe(200);
    const late = await set(9000, { revision });
    expect([late.status, late.body.message]).toEqual([409, 'mtu of Network lr-up-a was changed by warden in the meantime.']);
    expect((await c.estate()).networks.find((n) => n.name === 'lr-up-a')?.mtu).toBe(1400);
    await set(1500, {});
    const text = 'address,owner\n10.62.9.44,late desk\n';
    await reserve({ network: 'lr-store', address: '10.62.9.44' });
    expect((await c.call('POST', '/api/addresses/import', { text, revision })).status).toBe(409);
  });
  it('a large table does not hold up who asks meanwhile', async () => {
    const text = `address,owner\n${Array.from({ length: 60_000 }, (_, k) => `10.40.${(k >> 8) & 255}.${k & 255},nobody ${k}`).join('\n')}\n`;
    let answered = 0;
    let going = true;
    const preview = c.call<{ counts: object }>('POST', '/api/addresses/preview', { text, site: 'bw' }).finally(() => {
      going = false;
    });
    let longest = 0;
    const began = performance.now();
    while (going) {
      const t = performance.now();
      await fetch(`${i.config.publicUrl}/api/health`);
      longest = Math.max(longest, performance.now() - t);
      answered++;
    }
    expect((await preview).status).toBe(200);
    expect(answered).toBeGreaterThan(5);
    // Read where requests are answered, it would hold up one of them for nearly all of its time.
    expect(longest).toBeLessThan((performance.now() - began) / 2);
  });
});

describe('what is asked wrongly', () => {
  it.each([
    [{ count: 2, mac: '72:b5:e8:00:00:01' }, 'mac', 'a MAC is bound to one address, not to several'],
    [{ address: '10.62.9.5', how: 'spread' }, 'address', 'leave how, after, align and pool out'],
    [{ align: 3 }, 'align', 'a power of two'],
    [{ count: 0 }, 'count', 'at least 1'],
    [{ owners: 'x' }, 'owners', 'unknown field owners; did you mean owner?'],
    [{ until: 'soon' }, 'until', ''],
  ])('%j is refused at its place', async (body, path, says) => {
    const a = await reserve({ network: 'lr-store', ...body });
    expect([a.status, a.body.places?.[0]?.path]).toEqual([422, path]);
    expect(a.body.places?.[0]?.message).toContain(says);
  });
  it('addresses are kept in one way of writing, whatever way they came', async () => {
    expect(taken(await reserve({ network: 'bw-machine-six', address: 'FD00:40:8:0:0::00AB' }))).toEqual(['fd00:40:8::ab']);
    expect((await reserve({ network: 'bw-machine-six', address: 'fd00:40:8::ab' })).body.code).toBe('held-twice');
  });
});

describe('PostgreSQL itself refuses', () => {
  const sql = (text: string, values: unknown[]) =>
    i.running.ctx.db.query(text, values).then(
      () => 'taken',
      (e: { driverError: { constraint: string } }) => e.driverError.constraint,
    );
  const put = 'insert into reservation (key, doc, updated_by) values ($1, $2, $3)';
  it('one address held twice, whatever writes it', async () => {
    expect(await sql(put, ['another key', { network: 'lr-machine', address: '10.62.8.9' }, 'sql'])).toBe(
      'reservation_address_once',
    );
  });
  it('an address outside its network', async () => {
    expect(await sql(put, ['k', { network: 'lr-machine', address: '10.99.0.1' }, 'sql'])).toBe('reservation_inside_network');
  });
  it('two pools that overlap', async () => {
    expect(
      await sql("update network set doc = jsonb_set(doc, '{pools}', $1) where key = 'lr-machine'", [
        JSON.stringify([{ name: 'a', range: '10.62.8.96-10.62.8.101', use: 'host' }]),
      ]),
    ).toBe('spans_apart');
  });
  it('a pool that says it lies inside another and does not; and takes one that does', async () => {
    const pools = (inner: string) =>
      JSON.stringify([
        { name: 'outer', range: '10.62.8.64-10.62.8.79', use: 'service' },
        { name: 'inner', range: inner, use: 'inbound', inside: 'outer' },
      ]);
    const set = (inner: string) =>
      sql("update network set doc = jsonb_set(doc, '{pools}', $1) where key = 'lr-machine'", [pools(inner)]);
    const before = (await i.running.ctx.db.query("select doc from network where key = 'lr-machine'")) as { doc: object }[];
    expect(await set('10.62.8.76-10.62.8.81')).toBe('span_inside_another');
    expect(await set('10.62.8.76-10.62.8.79')).toBe('taken');
    await sql("update network set doc = $1 where key = 'lr-machine'", [before[0]?.doc]);
  });
  it('an address in a network when a child was carved out around it', async () => {
    const child = {
      apiVersion: 'praesidor/v1',
      kind: 'Network',
      name: 'lr-dock',
      site: 'lr',
      purpose: 'machine',
      prefix: '10.62.8.64/28',
      parent: 'lr-machine',
      mtu: 1500,
      dhcp: [],
      pools: [],
      routesTo: [],
      routes: [],
    };
    await c.good('POST', '/api/edits', { why: 'carved', edits: [{ op: 'put', doc: child }] });
    expect(await sql(put, ['k', { network: 'lr-machine', address: '10.62.8.70' }, 'sql'])).toBe('reservation_in_child');
    expect(taken(await reserve({ network: 'lr-dock' }))).toEqual(['10.62.8.65']);
    await c.good('POST', '/api/addresses/release', { network: 'lr-dock', address: '10.62.8.65' });
    await c.good('POST', '/api/edits', { why: 'closed', edits: [{ op: 'drop', kind: 'Network', key: 'lr-dock' }] });
  });
  it('a host of a site that is not there', async () => {
    expect(await sql('insert into host (key, doc, updated_by) values ($1, $2, $3)', ['h', { site: 'nowhere' }, 'sql'])).toContain(
      'site',
    );
  });
});

describe('names', () => {
  const zone = 'lr.kestrelferries.example';
  const drift = () =>
    c.good<{
      drift: { add: unknown[]; change: { name: string; served: string[]; planned: string[] }[]; foreign: { name: string }[] };
    }>('GET', `/api/zones/${zone}/drift`);
  it('follow the ledger, are sent signed, and read back', async () => {
    await eventually(async () => (await c.estate()).observed.zones[zone], 'the zone is read');
    const before = (await drift()).drift;
    expect(before.change).toMatchObject([{ name: `*.in.plover.${zone}`, served: ['10.62.8.12'], planned: ['10.62.8.21'] }]);
    expect(before.foreign.map((r) => r.name)).toEqual([`radar-gw.${zone}`]);
    const serial = i.world.dns.zones.find((z) => z.name === zone)?.serial as number;
    const sent = await c.good<{ changed: number; left: number; serial: number }>('POST', `/api/zones/${zone}/send`);
    expect(sent).toMatchObject({ changed: 1, left: 0, serial: serial + 1 });
    const records = i.world.dns.zones.find((z) => z.name === zone)?.records.map((r) => `${r.name} ${r.type} ${r.value}`);
    expect(records).toContain(`*.in.plover.${zone} A 10.62.8.21`);
    expect(records).toContain(`radar-gw.${zone} A 10.62.8.45`); // foreign: left alone
    expect(
      (
        await query(
          { address: '10.62.8.53', exits: i.running.ctx.dialer.exits, purpose: 'zone' as const },
          `shop.in.plover.${zone}`,
          'A',
        )
      ).answers[0]?.value,
    ).toBe('10.62.8.21');
  });
  it('are taken away again when the reservation is released', async () => {
    await reserve({ address: '10.62.8.91', name: `buoy.${zone}` });
    await c.good('POST', `/api/zones/${zone}/send`);
    await c.good('POST', '/api/addresses/release', { network: 'lr-machine', address: '10.62.8.91' });
    expect(await c.good('POST', `/api/zones/${zone}/send`)).toMatchObject({ removed: 1, left: 0 });
    // Sent again there is nothing to send, and the record does not say that something was.
    const sends = async () =>
      (await i.query<{ n: number }>("select count(*)::int as n from audit where act = 'sent a DNS update'"))[0]?.n;
    const before = await sends();
    await c.good('POST', `/api/zones/${zone}/send`);
    expect(await sends()).toBe(before);
    expect(
      (await query({ address: '10.62.8.53', exits: i.running.ctx.dialer.exits, purpose: 'zone' as const }, `buoy.${zone}`, 'A'))
        .rcode,
    ).toBe(3);
  });
  it('a server that refuses the update is named, with what to do there, and nothing is changed', async () => {
    await reserve({ address: '10.62.8.92', name: `lamp.${zone}` });
    i.plant('dns-refuses', zone);
    const a = await c.call('POST', `/api/zones/${zone}/send`);
    expect(a.body).toMatchObject({ code: 'unreachable', remedy: 'Mend it at the server, read the zone again, and send.' });
    expect(a.body.message).toMatch(/Nothing was changed\.$/);
    expect(a.body.message).toContain('refuses updates of lr.kestrelferries.example (REFUSED); allow the key lr-dns');
    i.lift('dns-refuses', zone);
    expect(await c.good('POST', `/api/zones/${zone}/send`)).toMatchObject({ added: 1, left: 0 });
  });
  it('what was edited behind our back between reading and sending is not overwritten', async () => {
    await reserve({ address: '10.62.8.93', name: `flare.${zone}` });
    const z = i.world.dns.zones.find((x) => x.name === zone) as (typeof i.world.dns.zones)[number];
    const { estate } = await loadEstate(i.running.ctx.db);
    const read = await readZone(i.running.ctx, zone);
    const wanted = updateFor(await driftOf(i.running.ctx, estate, zone, read));
    z.records.push({ name: `flare.${zone}`, type: 'A', ttl: 300, value: '10.62.8.17' });
    const key = await keyOfZone(i.running.ctx, i.running.ctx.db.manager, needIn(estate, 'Zone', zone));
    await expect(
      update(
        { address: '10.62.8.53', exits: i.running.ctx.dialer.exits, purpose: 'zone' as const },
        zone,
        wanted,
        key,
        Math.floor(Date.now() / 1000),
      ),
    ).rejects.toThrow('somebody changed it there');
    expect(z.records.filter((r) => r.name === `flare.${zone}`).map((r) => r.value)).toEqual(['10.62.8.17']);
    expect(await c.good('POST', `/api/zones/${zone}/send`)).toMatchObject({ changed: 1, left: 0 });
  });
  it('what is foreign is left alone until it is added to the plan, or removed by name', async () => {
    const foreign = async () => (await drift()).drift.foreign as { name: string; type: string; ttl: number; value: string }[];
    const z = i.world.dns.zones.find((x) => x.name === zone) as (typeof i.world.dns.zones)[number];
    z.records.push({ name: `stray.${zone}`, type: 'TXT', ttl: 300, value: 'left here' });
    await c.good('POST', `/api/zones/${zone}/read`);
    const [gw, stray] = [
      (await foreign()).find((f) => f.name.startsWith('radar-gw')),
      (await foreign()).find((f) => f.name.startsWith('stray')),
    ];
    const a = await c.good<{ act: number }>('POST', `/api/zones/${zone}/add-served`, { records: [gw] });
    expect((await c.estate()).records.some((r) => r.name === `radar-gw.${zone}` && r.value === '10.62.8.45')).toBe(true);
    await c.good('POST', `/api/acts/${a.act}/undo`);
    expect(await c.good('POST', `/api/zones/${zone}/remove`, { records: [stray] })).toMatchObject({ removed: 1 });
    expect((await foreign()).map((f) => f.name)).toEqual([`radar-gw.${zone}`]);
    expect(
      (
        await c.call('POST', `/api/zones/${zone}/remove`, {
          records: [{ name: `ns1.${zone}`, type: 'A', ttl: 1, value: '10.62.8.53' }],
        })
      ).status,
    ).toBe(409);
  });
  it('a wrong key is told from a refusal', async () => {
    await c.good('POST', '/api/keyring', {
      name: 'lr-dns',
      use: 'tsig',
      user: 'lr-dns',
      secret: Buffer.from('wrong').toString('base64'),
    });
    expect((await c.call('POST', `/api/zones/${zone}/send`)).body.message).toContain('refuses to transfer');
  });
});
