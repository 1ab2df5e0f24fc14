import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { check } from '@praesidor/core/checks';
import { judgeOf } from '@praesidor/core/hosts';
import type { Host } from '@praesidor/core/model';
import { putDoc } from '../src/estate/documents.ts';
import { type Client, eventually, Installation } from './installation.ts';

const i = new Installation();
let c: Client;
beforeAll(async () => {
  await i.start();
  c = await i.as('warden');
});
afterAll(() => i.stop());

const sweep = (range: string) => c.call('POST', '/api/hosts/sweep', { site: 'lr', range });
const sightings = async () => (await c.estate()).observed.sightings;
interface Accepted {
  results: { address: string; error: string | null; serial?: string }[];
}
const accept = (list: { address: string; fingerprint: string }[], credential = 'bmc-lr') =>
  c.good<Accepted>('POST', '/api/hosts/accept', {
    credential,
    addresses: list.map(({ address, fingerprint }) => ({ address, fingerprint })),
  });

describe('a sweep', () => {
  it('sights what answers, and asks nothing of it before its certificate is accepted', async () => {
    expect((await sweep('10.62.7.10-10.62.7.45')).body).toMatchObject({ addresses: 36 });
    const seen = await eventually(async () => {
      const s = await sightings();
      return s.length === 8 && s;
    }, 'eight sightings');
    expect(seen.every((s) => /^([0-9A-F]{2}:){31}[0-9A-F]{2}$/.test(s.fingerprint) && !s.accepted && s.facts === undefined)).toBe(
      true,
    );
    expect((await c.call('POST', '/api/hosts/list', { credential: 'bmc-lr', hosts: [{ address: '10.62.7.12' }] })).status).toBe(
      409,
    );
  });
  it('is refused when it is too wide or cannot be read', async () => {
    expect((await sweep('10.62.0.0/16')).body.message).toContain('65536 addresses are too many');
    expect((await sweep('10.62.7.40-10.62.7.2')).status).toBe(422);
    expect((await c.call('POST', '/api/hosts/sweep', { site: 'nowhere', range: '10.62.7.1' })).status).toBe(404);
  });
});

describe('accepting', () => {
  it('takes the fingerprint that is shown now, and no other', async () => {
    const r = await accept([{ address: '10.62.7.12', fingerprint: Array(32).fill('00').join(':') }]);
    expect(r.results[0]?.error).toContain('shows another certificate by now');
  });
  it('reads the facts of each by itself; one that refuses does not keep the others', async () => {
    const r = await accept(await sightings());
    expect(r.results.filter((x) => !x.error)).toHaveLength(7);
    expect(r.results.find((x) => x.error)).toMatchObject({
      address: '10.62.7.41',
      error: expect.stringContaining('refuses the credentials'),
    });
    const facts = (await sightings()).find((s) => s.address === '10.62.7.15')?.facts;
    expect(facts).toMatchObject({
      serial: 'HW70005L',
      cores: 32,
      memoryGiB: 128,
      arch: 'x86-64',
      disks: [{ sizeGB: 480 }, { sizeGB: 3840 }],
      nics: [{ mac: '52:8a:1c:40:05:01', speedGbit: 25 }, {}],
      firmware: { system: '2.21', bmc: '4.10' },
    });
  });
});

describe('listing', () => {
  it("makes hosts with place, zone and fitness, and their controllers' addresses and names", async () => {
    const { act } = await c.good<{ act: number }>('POST', '/api/hosts/list', {
      credential: 'bmc-lr',
      hosts: [2, 3, 4, 5, 6, 7, 8].map((n) => ({ address: `10.62.7.${10 + n}` })),
    });
    const e = await c.estate();
    const host = (n: string) => e.hosts.find((h) => h.name === n);
    expect(host('lr-04')).toMatchObject({ state: 'fit', rack: 'R1', unit: 24, zone: 'B' });
    expect(host('lr-03')).toMatchObject({ state: 'listed' });
    expect(judgeOf(e)(host('lr-03') as never).find((f) => f.role === 'worker')?.reasons).toEqual([
      'container disk: none, 200 GB asked',
    ]);
    expect(e.reservations.find((r) => r.address === '10.62.7.14')).toMatchObject({
      name: 'bmc-lr-04.lr.kestrelferries.example',
      owner: { kind: 'host', name: 'lr-04', use: 'bmc' },
    });
    await c.good('POST', `/api/acts/${act}/undo`);
    expect((await c.estate()).hosts.filter((h) => h.site === 'lr')).toHaveLength(1);
  });
  it('refuses a name that is taken or is none, and lists nothing of that request', async () => {
    const before = (await c.estate()).hosts.length;
    expect(
      (
        await c.call('POST', '/api/hosts/list', {
          credential: 'bmc-lr',
          hosts: [{ address: '10.62.7.12' }, { address: '10.62.7.13', name: 'lr-01' }],
        })
      ).body.message,
    ).toContain('There is a host lr-01 already');
    expect(
      (await c.call('POST', '/api/hosts/list', { credential: 'bmc-lr', hosts: [{ address: '10.62.7.12', name: 'no name' }] }))
        .status,
    ).toBe(422);
    expect((await c.estate()).hosts).toHaveLength(before);
    await c.good('POST', '/api/hosts/list', {
      credential: 'bmc-lr',
      hosts: [{ address: '10.62.7.12' }, { address: '10.62.7.14' }],
    });
  });
});

describe('a controller whose certificate changed', () => {
  it('is sent nothing, is found by the next sweep as a stop, and is pinned anew by an explicit act', async () => {
    i.plant('bmc-certificate', 'lr-04');
    i.running.ctx.dialer.forget('10.62.7.14');
    const refused = await c.call('POST', '/api/hosts/lr-04/refresh');
    expect([refused.status, refused.body.code]).toEqual([502, 'pin']);
    expect(refused.body.message).toMatch(/it shows the certificate .* pinned is .*; nothing was sent to it/);
    await sweep('10.62.7.14');
    const finding = await eventually(
      async () => check(await c.estate()).findings.find((f) => f.code === 'HST-003'),
      'the finding',
    );
    expect(finding).toMatchObject({ severity: 'stop', subject: { name: 'lr-04' } });
    await c.good('POST', '/api/edits', { why: finding.remedy?.label, edits: finding.remedy?.edits });
    await c.good('POST', '/api/hosts/lr-04/refresh');
    expect(check(await c.estate()).findings.filter((f) => f.code === 'HST-003')).toEqual([]);
  });
});

describe('a controller in bad shape', () => {
  it.each([
    ['bmc-silent', 'it does not answer'],
    ['bmc-password', 'it refuses the credentials'],
  ] as const)('%s: %s', async (kind, says) => {
    i.plant(kind, 'lr-02');
    const a = await c.call('POST', '/api/hosts/lr-02/refresh');
    expect([a.status, a.body.message]).toEqual([502, expect.stringContaining(says)]);
    i.lift(kind, 'lr-02');
    await c.good('POST', '/api/hosts/lr-02/refresh');
  });
});

describe('what is read of a machine', () => {
  const versions = async () =>
    (
      await i.query<{ plan: number; state: number; seen: number }>(
        "select h.version as plan, s.version as state, f.version as seen from host h join host_state s using (key) join host_seen f using (key) where key = 'lr-02'",
      )
    )[0];

  it('comes in beside an edit that somebody makes meanwhile: both stand, and the version of the plan is that of the edit', async () => {
    const was = await versions();
    const waits = async () =>
      (await i.query("select 1 from pg_stat_activity where wait_event_type = 'Lock' and query like '%whole_host%for update%'"))
        .length > 0;
    await i.query("update host_seen set facts = jsonb_set(facts, '{cores}', '1') where key = 'lr-02'");
    const { doc } = await c.good<{ doc: Host }>('GET', '/api/documents/Host/lr-02');
    let read: ReturnType<typeof c.call> | undefined;
    await i.running.ctx.db.transaction(async (m) => {
      await putDoc(m, { ...doc, height: 2 }, 'bo');
      read = c.call('POST', '/api/hosts/lr-02/refresh');
      await eventually(waits, 'the reading waits for the edit');
    });
    expect((await read)?.status).toBe(200);
    const after = await c.good<{ doc: Host; version: number }>('GET', '/api/documents/Host/lr-02');
    expect([after.doc.height, after.doc.facts?.cores]).toEqual([2, 16]);
    expect(after.version).toBe((was?.plan ?? 0) + 1);
    const now = await versions();
    expect([now?.plan, now?.state, now?.seen]).toEqual([(was?.plan ?? 0) + 1, was?.state, (was?.seen ?? 0) + 1]);
  });
});
