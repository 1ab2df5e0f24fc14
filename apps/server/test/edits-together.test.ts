import pg from 'pg';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { kinds, type Network, writeDocument } from '@praesidor/core/model';
import { type Answer, type Client, Installation } from './installation.ts';

/** Edits of many people at once: each is decided, refused and undone by itself, although many end in one commit. */
const i = new Installation();
let warden: Client;
let builder: Client;
let reader: Client;
const count = 40;
const name = (k: number) => `many-${k}`;
beforeAll(async () => {
  await i.start();
  [warden, builder, reader] = await Promise.all([i.as('warden'), i.as('builder'), i.as('reader')]);
  const networks = Array.from({ length: count }, (_, k) =>
    kinds.Network.parse({
      ...{ kind: 'Network', name: name(k), site: 'bw', purpose: 'machine', prefix: `10.200.${k}.0/24`, vlan: 3001 + k },
      pools: [
        { name: 'low', use: 'host', range: `10.200.${k}.10-10.200.${k}.20` },
        { name: 'high', use: 'host', range: `10.200.${k}.30-10.200.${k}.40` },
      ],
    }),
  );
  await warden.good('POST', '/api/import', { text: networks.map(writeDocument).join('---\n') });
});
afterAll(() => i.stop());

type Told = Answer<{ act: number; message?: string }>;
const set = (c: Client, k: number, field: string, value: unknown, revision?: number): Promise<Told> =>
  c.call('POST', '/api/edits', {
    ...{ why: `${field} of ${name(k)}`, revision },
    edits: [{ op: 'set', kind: 'Network', key: name(k), path: field.split('.'), value }],
  });
const networks = async () =>
  new Map((await warden.estate()).networks.filter((n) => n.name.startsWith('many-')).map((n) => [n.name, n as Network]));
const position = async () => (await warden.good<{ revision: number }>('GET', '/api/estate')).revision;
const acts = async (limit: number) =>
  (await warden.good<{ acts: { id: number; who: string; act: string; subject: string }[] }>('GET', `/api/acts?limit=${limit}`))
    .acts;

describe('edits of many people at once', () => {
  it('are all made, each as an act of the one who asked, in far fewer transactions than there are acts', async () => {
    const told = await Promise.all(Array.from({ length: count }, (_, k) => set(k % 2 ? warden : builder, k, 'mtu', 1400 + k)));
    expect(told.map((t) => t.status)).toEqual(told.map(() => 200));
    const now = await networks();
    for (let k = 0; k < count; k++) expect(now.get(name(k))?.mtu).toBe(1400 + k);
    const byId = new Map((await acts(count)).map((a) => [a.id, a]));
    expect(byId.size).toBe(count);
    for (const [k, t] of told.entries())
      expect(byId.get(t.body.act)).toMatchObject({
        who: k % 2 ? 'warden' : 'builder',
        act: `mtu of ${name(k)}`,
        subject: `Network ${name(k)}`,
      });
    const [row] = await i.query<{ n: string; by: string }>(
      "select count(distinct xmin::text) as n, string_agg(distinct updated_by, ' ' order by updated_by) as by from network where key like 'many-%'",
    );
    expect(Number(row?.n)).toBeLessThan(count / 2);
    expect(row?.by.split(' ')).toEqual(['builder', 'warden']);
  });

  it('are undone one at a time', async () => {
    const told = await Promise.all([0, 1, 2, 3].map((k) => set(warden, k, 'mtu', 9000)));
    await warden.good('POST', `/api/acts/${told[2]?.body.act}/undo`);
    const now = await networks();
    expect([0, 1, 2, 3].map((k) => now.get(name(k))?.mtu)).toEqual([9000, 9000, 1402, 9000]);
  });

  it('are refused one at a time: by role, by what was seen, by what does not fit', async () => {
    const seen = await position();
    expect((await set(builder, 4, 'vlan', 3900)).status).toBe(200);
    const wanted: [Client, number, string, unknown, number?][] = [
      [warden, 5, 'mtu', 1500],
      [warden, 4, 'vlan', 3901, seen],
      [warden, 4, 'mtu', 1500, seen],
      [warden, 7, 'mtu', 'wide'],
      [builder, 9, 'mtu', 1500],
    ];
    const edits = [{ op: 'set', kind: 'Site', key: 'bw', path: ['racks', 0, 'units'], value: 43 }];
    const told = await Promise.all([
      ...wanted.map(([c, k, field, value, revision]) => set(c, k, field, value, revision)),
      builder.call<{ act: number }>('POST', '/api/edits', { why: 'sites are a warden’s', edits }),
      reader.call<{ act: number }>('POST', '/api/edits', { why: 'nothing is a reader’s', edits }),
    ]);
    expect(told.map((t) => t.status)).toEqual([200, 409, 200, 422, 200, 403, 403]);
    expect(told[1]?.body.message).toBe(`vlan of Network ${name(4)} was changed by builder in the meantime.`);
    const now = await networks();
    expect([4, 5, 7, 9].map((k) => now.get(name(k))?.mtu)).toEqual([1500, 1500, 1407, 1500]);
    expect(now.get(name(4))?.vlan).toBe(3900);
    expect((await warden.estate()).sites.find((x) => x.name === 'bw')?.racks[0]?.units).toBe(42);
    expect((await acts(3)).map((a) => a.subject).sort()).toEqual([4, 5, 9].map((k) => `Network ${name(k)}`));
  });

  it('of one document come one after the other, and the last that was answered stands', async () => {
    const told = await Promise.all(Array.from({ length: 12 }, (_, k) => set(k % 2 ? warden : builder, 10, 'mtu', 2000 + k)));
    expect(told.map((t) => t.status)).toEqual(told.map(() => 200));
    const last = told.map((t) => t.body.act).indexOf(Math.max(...told.map((t) => t.body.act)));
    expect((await networks()).get(name(10))?.mtu).toBe(2000 + last);
    const [row] = await i.query<{ version: number }>('select version from network where key = $1', [name(10)]);
    expect(row?.version).toBe(14);
  });

  it('wait for nobody who holds another document', async () => {
    const holder = new pg.Client({ connectionString: i.config.databaseUrl });
    await holder.connect();
    holder.on('error', () => undefined);
    // Whoever waits nevertheless is let go by PostgreSQL, and what is expected below has not come true.
    await holder.query("set idle_in_transaction_session_timeout = '20s'");
    await holder.query('begin');
    await holder.query('select 1 from network where key = $1 for update', [name(20)]);
    let answered = false;
    const held = set(warden, 20, 'mtu', 1500).finally(() => {
      answered = true;
    });
    for (let round = 0; round < 3; round++) {
      const others = await Promise.all([21, 22, 23].map((k) => set(builder, k, 'mtu', 1500 + round)));
      expect(others.map((t) => t.status)).toEqual([200, 200, 200]);
      expect(answered).toBe(false);
    }
    await holder.query('rollback');
    await holder.end();
    expect((await held).status).toBe(200);
    expect((await networks()).get(name(20))?.mtu).toBe(1500);
  });

  it('that the database does not take leave the others standing', async () => {
    await i.query("alter table audit add constraint unwanted check (act <> 'unwanted') not valid");
    const edits = [{ op: 'set', kind: 'Network', key: name(33), path: ['mtu'], value: 1500 }];
    const told = await Promise.all([
      ...[30, 31, 32].map((k) => set(warden, k, 'mtu', 1500)),
      builder.call('POST', '/api/edits', { why: 'unwanted', edits }),
      set(builder, 34, 'mtu', 1500),
      // The second pool is moved over the first: only PostgreSQL sees that.
      set(warden, 35, 'pools.1.range', '10.200.35.15-10.200.35.25'),
    ]);
    await i.query('alter table audit drop constraint unwanted');
    expect(told.map((t) => t.status)).toEqual([200, 200, 200, 500, 200, 422]);
    expect(told[5]?.body.message).toContain('overlap');
    const now = await networks();
    expect([30, 31, 32, 33, 34].map((k) => now.get(name(k))?.mtu)).toEqual([1500, 1500, 1500, 1433, 1500]);
  });
});
