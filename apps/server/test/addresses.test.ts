import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { query } from '@praesidor/protocols/dns';
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
      taken(await reserve({ address: '10.62.8.90', name: 'radar.lr.kestrelferries.example', mac: '70:B5:E8:00:00:01' })),
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
      (await query({ address: '10.62.8.53', detours: i.config.detours }, `shop.in.plover.${zone}`, 'A')).answers[0]?.value,
    ).toBe('10.62.8.21');
  });
  it('are taken away again when the reservation is released', async () => {
    await reserve({ address: '10.62.8.91', name: `buoy.${zone}` });
    await c.good('POST', `/api/zones/${zone}/send`);
    await c.good('POST', '/api/addresses/release', { network: 'lr-machine', address: '10.62.8.91' });
    expect(await c.good('POST', `/api/zones/${zone}/send`)).toMatchObject({ removed: 1, left: 0 });
    expect((await query({ address: '10.62.8.53', detours: i.config.detours }, `buoy.${zone}`, 'A')).rcode).toBe(3);
  });
  it('a server that refuses the update is named, with what to do there, and nothing is changed', async () => {
    await reserve({ address: '10.62.8.92', name: `lamp.${zone}` });
    i.plant('dns-refuses', zone);
    const a = await c.call('POST', `/api/zones/${zone}/send`);
    expect(a.body).toMatchObject({ code: 'unreachable', remedy: 'Nothing was changed. Mend it at the server and send again.' });
    expect(a.body.message).toContain('refuses updates of lr.kestrelferries.example (REFUSED); allow the key lr-dns');
    i.lift('dns-refuses', zone);
    expect(await c.good('POST', `/api/zones/${zone}/send`)).toMatchObject({ added: 1, left: 0 });
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
