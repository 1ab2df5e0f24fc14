import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { isOpen } from '@praesidor/core/images';
import { newSigningKey, signManifest } from '@praesidor/shipping';
import {
  type Client,
  declareSmall,
  eventually,
  Installation,
  type ShipmentAnswer,
  shipmentIn,
  smallPublications,
} from './installation.ts';

interface Whole extends ShipmentAnswer {
  source: string;
  target: string;
  way: string;
  after: string | null;
  resumeAt: string | null;
  startedAt: string | null;
  cases: { number: number; bytes: number; state: string; bad: { path: string; why: string }[] }[];
}
const i = new Installation();
let c: Client;
const known = () =>
  eventually(async () => {
    const e = await c.estate();
    const o = e.observed;
    return (
      ['small', '1.33.6', 'log-shipper', 'inbound-router'].every((n) => o.bills[n]) &&
      ['lr-registry', 'bw-registry', 'ptl-registry', 'dnl-registry'].every((n) => o.registries[n] && !o.registries[n]?.error)
    );
  }, 'bills and registries');
beforeAll(async () => {
  await i.start({ also: smallPublications });
  c = await i.as('warden');
  await declareSmall(c);
  await known();
});
afterAll(() => i.stop());

const shipments = async () => (await c.good<{ shipments: Whole[] }>('GET', '/api/shipments')).shipments;
const shipment = async (label: string) => (await shipments()).find((s) => s.label === label) as Whole;
const plan = (body: object) => c.good<{ shipment: Whole }>('POST', '/api/shipments', body).then((r) => r.shipment);
const start = (label: string, cases?: number[]) => c.good('POST', `/api/shipments/${label}/start`, cases ? { cases } : undefined);
const folder = (label: string, n: number) => join(i.config.dataDir, 'cases', label, `case-${n}`);
const raw = (path: string, init: RequestInit = {}) =>
  fetch(`${i.config.publicUrl}${path}`, {
    ...init,
    headers: { cookie: c.cookie, 'x-csrf-token': c.csrf, ...init.headers },
  });

describe('over a link into a sealed room', () => {
  it('nothing goes, by way of the same site neither', async () => {
    const r = await c.call('POST', '/api/shipments', { target: 'lr-registry', bills: ['small'], way: 'link' });
    expect([r.status, r.body.message]).toEqual([422, 'Lantern Rock is sealed: nothing reaches it over a link.']);
  });
});

describe('in several cases, into a sealed room', () => {
  let label = '';
  it('packs cases of the size asked for, each of which sha256sum confirms', async () => {
    const s = await plan({ target: 'lr-registry', bills: ['small'], caseBytes: 1_000_000 });
    label = s.label;
    await start(label);
    await shipmentIn(c, label, 'packed');
    const { cases } = await shipment(label);
    expect(cases.length).toBeGreaterThanOrEqual(3);
    expect(cases.every((k) => k.state === 'packed')).toBe(true);
    for (const k of cases) {
      execFileSync('sha256sum', ['--quiet', '--strict', '-c', 'SHA256SUMS'], { cwd: folder(label, k.number) });
      const size = readdirSync(folder(label, k.number), { recursive: true, withFileTypes: true })
        .filter((e) => e.isFile())
        .reduce((n, e) => n + readFileSync(join(e.parentPath, e.name)).length, 0);
      expect(size).toBeLessThanOrEqual(1_000_000);
    }
  });
  it('is told that a case is too small before anything is moved', async () => {
    const s = await plan({ target: 'lr-registry', bills: ['small'], caseBytes: 20_000 });
    await start(s.label);
    expect((await shipmentIn(c, s.label, 'failed')).error).toContain('holds nothing beside its own description');
  });
  it('lands the third case first, says what is lacking, and waits for the others', async () => {
    await start(label, [3]);
    const s = await shipmentIn(c, label, 'short');
    expect(s.error).toMatch(/^Cases 1.* and \d did not land yet\. .* are lacking\.$/);
    expect((await shipment(label)).cases.map((k) => k.state).slice(0, 3)).toEqual(['packed', 'packed', 'landed']);
  });
  it('takes a case in as an archive; damaged on the way, it is named, the rest of it lands, and the repair is small', async () => {
    const tar = Buffer.from(await (await raw(`/api/shipments/${label}/cases/1`)).arrayBuffer());
    const dir = join(i.config.dataDir, 'carried');
    mkdirSync(dir, { recursive: true });
    writeFileSync(join(dir, 'case.tar'), tar);
    execFileSync('tar', ['-xf', 'case.tar'], { cwd: dir });
    execFileSync('sha256sum', ['--quiet', '-c', 'SHA256SUMS'], { cwd: dir });
    const hurt = readdirSync(join(dir, 'blobs/sha256')).find(
      (f) => readFileSync(join(dir, 'blobs/sha256', f)).length > 10_000,
    ) as string;
    const bytes = readFileSync(join(dir, 'blobs/sha256', hurt));
    bytes[5] = (bytes[5] as number) ^ 1;
    writeFileSync(join(dir, 'blobs/sha256', hurt), bytes);
    rmSync(join(dir, 'case.tar'));
    execFileSync('tar', ['-czf', '../carried.tgz', '.'], { cwd: dir });
    rmSync(folder(label, 1), { recursive: true });
    const r = await raw('/api/cases', {
      method: 'POST',
      headers: { 'content-type': 'application/x-tar' },
      body: readFileSync(join(dir, '../carried.tgz')),
    });
    expect(r.status).toBe(201);
    expect(await r.json()).toMatchObject({
      label,
      number: 1,
      bad: [{ path: `blobs/sha256/${hurt}`, why: 'has other bytes than were packed' }],
    });
    await start(label);
    expect((await shipmentIn(c, label, 'short')).error).toMatch(/^Case 1 has 1 damaged file\. /);
    expect((await shipment(label)).cases[0]?.bad).toEqual([
      { path: `blobs/sha256/${hurt}`, why: 'has other bytes than were packed' },
    ]);
    const held = await i.world.stores.get('lr-registry')?.digests();
    expect(held).not.toContain(`sha256:${hurt}`);

    const { shipment: repair } = await c.good<{ shipment: Whole }>('POST', `/api/shipments/${label}/repair`);
    expect(repair.bytes).toBe(bytes.length);
    await start(repair.label);
    await shipmentIn(c, repair.label, 'packed');
    await start(repair.label);
    await shipmentIn(c, repair.label, 'landed');
    const left = await c.call('POST', '/api/shipments', { target: 'lr-registry', bills: ['small'] });
    expect(left.body.message).toContain('holds everything');
    for (const d of (await i.world.stores.get('lr-registry')?.digests()) ?? [])
      expect(
        `sha256:${createHash('sha256')
          .update(readFileSync(i.world.stores.get('lr-registry')?.blobPath(d) as string))
          .digest('hex')}`,
      ).toBe(d);
  });
  it('goes to its end when whoever landed the last case was killed before he could say so', async () => {
    const s = await plan({ target: 'lr-registry', bills: ['log-shipper'], way: 'case' });
    await start(s.label);
    await shipmentIn(c, s.label, 'packed');
    await start(s.label);
    await shipmentIn(c, s.label, 'landed');
    // As a kill leaves it: every case landed, the shipment still landing, its step under way, its job given to the next.
    const db = i.running.ctx.db;
    const [run] = (await db.query('select id from run where subject = $1 order by id desc limit 1', [s.label])) as [
      { id: number },
    ];
    await db.transaction(async (m) => {
      await m.query("update shipment set state = 'landing' where label = $1", [s.label]);
      await m.query("delete from run_event where run = $1 and data->>'kind' in ('succeeded', 'finished', 'noted')", [run.id]);
      await m.query("update run set state = 'running', status = null, upto = 0, ended_at = null where id = $1", [run.id]);
      await i.running.ctx.queue.send(m, 'run', String(run.id));
    });
    await shipmentIn(c, s.label, 'landed');
    expect(await db.query("select status->'steps'->'land'->>'attempt' as n from run where id = $1", [run.id])).toEqual([
      { n: '2' },
    ]);
  });
  it.each([
    ['nothing at all', Buffer.alloc(0)],
    ['something else', Buffer.from('a letter to the harbour master'.repeat(50))],
  ])('%s is no case', async (_, body) => {
    const r = await raw('/api/cases', {
      method: 'POST',
      headers: { 'content-type': 'application/x-tar' },
      body: new Uint8Array(body),
    });
    expect([r.status, ((await r.json()) as { message: string }).message]).toEqual([
      422,
      expect.stringMatching(/no case of a shipment|refused/),
    ]);
    expect(readdirSync(join(i.config.dataDir, 'cases')).filter((f) => f.startsWith('.arriving'))).toEqual([]);
  });
});

describe('over a thin link', () => {
  it('waits for its hours, says until when, and moves over the faster link at once', async () => {
    const e = await c.estate();
    const site = e.sites.find((s) => s.name === 'ptl');
    // Hours that are not now, wherever the clock stands: the two hours before the last one.
    const hour = (n: number) => String((((new Date().getUTCHours() + n) % 24) + 24) % 24).padStart(2, '0');
    const hours = `${hour(-4)}:00-${hour(-2)}:00`;
    await c.good('POST', '/api/edits', {
      why: 'hours',
      edits: [
        { op: 'set', kind: 'Site', key: 'ptl', path: ['timezone'], value: 'UTC' },
        { op: 'set', kind: 'Site', key: 'ptl', path: ['link', 'hours'], value: hours },
      ],
    });
    const s = await plan({ target: 'ptl-registry', bills: ['log-shipper'] });
    expect(s.way).toBe('link');
    await start(s.label);
    await shipmentIn(c, s.label, 'waiting');
    const waits = await shipment(s.label);
    expect(waits.resumeAt).toBe(isOpen({ rateMbit: 8, hours }, 'UTC', new Date().toISOString()).until);
    expect(waits.movedBytes).toBe(0);
    // Whether its hours are others by now is looked at before that.
    const [looks] = await i.query<{ ms: number }>(
      "select extract(epoch from (data->>'until')::timestamptz - (data->>'at')::timestamptz) * 1000 as ms from run_event where data->>'kind' = 'deferred' order by id desc limit 1",
    );
    expect(Number(looks?.ms)).toBeLessThanOrEqual(10 * 60_000 + 1000);
    await c.good('POST', `/api/shipments/${s.label}/stop`);
    const quick = await plan({ target: 'ptl-registry', bills: ['log-shipper'], way: 'fast-link' });
    await start(quick.label);
    await shipmentIn(c, quick.label, 'landed');
    expect(site?.fastLink?.rateMbit).toBe(600);
  });
  it('goes on where it is stopped and started again within its hours, and lets go of its place while it waits', async () => {
    const s = await plan({ target: 'ptl-registry', bills: ['small'] });
    await start(s.label);
    await shipmentIn(c, s.label, 'waiting');
    const db = i.running.ctx.db;
    await eventually(async () => !(await db.query('select * from run_lease')).length, 'its place to be let go of');
    await c.good('POST', '/api/edits', {
      why: 'hours',
      edits: [{ op: 'set', kind: 'Site', key: 'ptl', path: ['link'], value: { rateMbit: 100 } }],
    });
    await c.good('POST', `/api/shipments/${s.label}/stop`);
    expect((await shipment(s.label)).resumeAt).toBeNull();
    await start(s.label);
    await shipmentIn(c, s.label, 'landed');
    const { acts } = await c.good<{ acts: { act: string; subject: string; who: string }[] }>('GET', '/api/acts?limit=20');
    expect(acts.filter((a) => a.subject === s.label).map((a) => [a.who, a.act])).toEqual([
      ['Praesidor', 'landed a shipment'],
      ['warden', 'resumed a shipment'],
      ['warden', 'stopped a shipment'],
      ['warden', 'started a shipment'],
      ['warden', 'planned a shipment'],
    ]);
    // One run all along, which went to its end: and how long that took is known for the next.
    expect(await db.query("select state from run where kind = 'shipment' and subject = $1", [s.label])).toEqual([
      { state: 'done' },
    ]);
    expect(
      await db.query("select count(*)::int as n from step_took where kind = 'move' and model = 'link to ptl-registry'"),
    ).toEqual([{ n: 1 }]);
  });
  it('keeps to the rate', async () => {
    await c.good('POST', '/api/edits', {
      why: 'rate',
      edits: [{ op: 'set', kind: 'Site', key: 'dnl', path: ['link'], value: { rateMbit: 8 } }],
    });
    const s = await plan({ target: 'dnl-registry', bills: ['small'] });
    const began = Date.now();
    await start(s.label);
    await shipmentIn(c, s.label, 'landed');
    // 8 Mbit/s is 1 MB/s; a quarter of a second of it stands in the bucket
    expect((Date.now() - began) / 1000).toBeGreaterThanOrEqual((s.bytes - 250_000) / 1e6);
  });
  it.each([
    [{ target: 'lr-registry', bills: ['1.34.2'], way: 'link' }, 'is sealed: nothing reaches it over a link'],
    [{ target: 'bw-registry', bills: ['1.33.6'], way: 'fast-link' }, 'declares no faster link'],
    [{ target: 'bw-registry', bills: ['1.33.6'], source: 'bw-registry' }, 'cannot be shipped to from itself'],
  ])('%j is refused', async (body, why) => {
    i.world.stores.get('lr-registry');
    const r = await c.call('POST', '/api/shipments', body);
    expect(r.status).toBeGreaterThanOrEqual(400);
    if (!String(r.body.message).includes('holds everything')) expect(r.body.message).toContain(why);
  });
});

describe('one after another', () => {
  const stops = [{ target: 'bw-registry' }, { target: 'dnl-registry', way: 'fast-link' }];
  it('is not even planned by who may plan, and asks for it to be started at once', async () => {
    const { token } = await c.good<{ token: string }>('POST', '/api/me/tokens', {
      name: 'plans shipments',
      acts: ['plan.read', 'shipments.plan'],
      days: 1,
    });
    const before = await shipments();
    const asked = async (path: string, body: object) =>
      (
        await fetch(`${i.config.publicUrl}/api/shipments${path}`, {
          method: 'POST',
          headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
          body: JSON.stringify({ bills: ['small', 'log-shipper'], ...body }),
        })
      ).status;
    expect([await asked('/chain', { stops, start: true }), await asked('', { target: 'bw-registry', start: true })]).toEqual([
      403, 403,
    ]);
    expect(await shipments()).toEqual(before);
    expect(await asked('/chain', { stops: [{ target: 'nowhere' }, ...stops] })).toBe(404);
  });
  it('open hall, then a ship in port: the second begins when the first has landed, from what the first brought', async () => {
    const { shipments: made } = await c.good<{ shipments: Whole[] }>('POST', '/api/shipments/chain', {
      bills: ['small', 'log-shipper'],
      stops,
      start: true,
    });
    expect(made.map((s) => [s.source, s.target, s.after])).toEqual([
      ['upstream', 'bw-registry', null],
      ['bw-registry', 'dnl-registry', made[0]?.label],
    ]);
    const [first, second] = made as [Whole, Whole];
    const early = await c.call('POST', `/api/shipments/${second.label}/start`);
    expect([early.status, early.body.message]).toEqual([
      409,
      expect.stringContaining(`${second.label} waits for ${first.label}`),
    ]);
    const { acts } = await c.good<{ acts: { act: string; subject: string }[] }>('GET', '/api/acts');
    expect(acts.flatMap((a) => (a.subject === first.label ? [a.act] : []))).toEqual(['started a shipment', 'planned a shipment']);
    await shipmentIn(c, second.label, 'landed');
    const { bills, registries } = (await c.estate()).observed;
    const held = new Set(registries['dnl-registry']?.digests);
    for (const d of Object.keys(bills['log-shipper']?.blobs ?? {})) expect(held.has(d)).toBe(true);
  });
});

describe('what a registry holds, and may let go', () => {
  interface Deletable {
    goes: { bill: string; images: string[]; declaredBytes: number }[];
    stays: { bill: string; why: string[] }[];
    free: { blobs: number; bytes: number };
    deletes: unknown[];
  }
  const mayGo = () => c.good<Deletable>('GET', '/api/registries/ptl-registry/deletable?keep=0');
  it('says what may go and why the rest may not, takes it away, and frees what it said', async () => {
    const m = await mayGo();
    expect(m.goes.map((g) => g.bill).sort()).toEqual(['log-shipper', 'small']);
    expect(m.stays.find((s) => s.bill === '1.33.6')?.why).toEqual([expect.stringContaining('petrel')]);
    const kept = await c.call('POST', '/api/registries/ptl-registry/delete', { bills: ['1.33.6'], keep: 0, names: 1 });
    expect(kept.body.message).toMatch(/^1\.33\.6 may not go: /);
    const other = await c.call('POST', '/api/registries/ptl-registry/delete', {
      bills: ['small', 'log-shipper'],
      keep: 0,
      names: 5,
    });
    expect([other.status, other.body.message]).toEqual([409, expect.stringContaining('Nothing was taken away')]);
    // What landed a moment ago is young: a manifest that needs it might be on its way. An hour later it goes.
    const store = i.world.stores.get('ptl-registry');
    const old = new Date(Date.now() - 7_200_000);
    const { utimesSync } = await import('node:fs');
    for (const e of readdirSync(store?.dir as string, { recursive: true, withFileTypes: true }))
      if (e.isFile()) utimesSync(join(e.parentPath, e.name), old, old);
    const took = await c.good<{ names: number; blobs: number; bytes: number }>('POST', '/api/registries/ptl-registry/delete', {
      bills: ['small', 'log-shipper'],
      keep: 0,
      names: m.deletes.length,
    });
    expect(took.names).toBe(m.deletes.length);
    // The bill counts layers and configurations; manifests come free beside them.
    expect(took.bytes).toBeGreaterThanOrEqual(m.free.bytes);
    expect((await mayGo()).goes).toEqual([]);
    const { bills, registries } = (await c.estate()).observed;
    const held = new Set(registries['ptl-registry']?.digests);
    for (const d of Object.keys(bills['1.33.6']?.blobs ?? {})) expect(held.has(d)).toBe(true);
    const { acts } = await c.good<{ acts: { act: string; subject: string }[] }>('GET', '/api/acts');
    expect(acts.find((r) => r.act === 'took images away')?.subject).toBe('ptl-registry');
  });
  it('a scrub finds the byte that changed; it is put aside, missing, and shipped again', async () => {
    const store = i.world.stores.get('dnl-registry');
    const bill = (await c.estate()).observed.bills['inbound-router'];
    const [digest] = Object.keys(bill?.blobs ?? {}) as [string];
    writeFileSync(store?.blobPath(digest) as string, 'rot');
    await c.good('POST', '/api/registries/dnl-registry/scrub');
    const found = await eventually(async () => {
      const { scrub } = await c.good<{ scrub: { running: boolean; damaged: { digest: string }[] } }>(
        'GET',
        '/api/registries/dnl-registry/scrub',
      );
      return !scrub.running && scrub;
    }, 'the scrub');
    expect(found.damaged.map((d) => d.digest)).toEqual([digest]);
    const seen = (await c.estate()).observed.registries['dnl-registry'];
    expect(seen?.digests).not.toContain(digest);
    expect(seen?.scrub?.damaged).toHaveLength(1);
    const s = await plan({ target: 'dnl-registry', bills: ['inbound-router'], way: 'fast-link' });
    await start(s.label);
    await shipmentIn(c, s.label, 'landed');
    expect((await c.estate()).observed.registries['dnl-registry']?.digests).toContain(digest);
  });
});

describe('what a source publishes', () => {
  it('is read as documents, taken into the estate, walked, and taken back', async () => {
    const { published, faults } = await c.good<{ published: { name: string; state: string }[]; faults: string[] }>(
      'GET',
      '/api/registries/upstream/published',
    );
    expect(faults).toEqual([]);
    expect(Object.fromEntries(published.map((o) => [o.name, o.state]))).toEqual({
      '1.33.6': 'same',
      '1.34.2': 'same',
      'inbound-router': 'same',
      'log-shipper': 'same',
      'time-keeper': 'new',
    });
    const { act } = await c.good<{ act: number }>('POST', '/api/registries/upstream/published', { names: ['time-keeper'] });
    await eventually(async () => (await c.estate()).observed.bills['time-keeper'], 'its bill');
    await c.good('POST', `/api/acts/${act}/undo`);
    expect((await c.estate()).addons.some((a) => a.name === 'time-keeper')).toBe(false);
    expect((await c.call('POST', '/api/registries/upstream/published', { names: ['nobody'] })).status).toBe(404);
  });
});

describe('a case from elsewhere', () => {
  /** A case as it lies in a folder, taken in as somebody would bring it; `change` makes it what it should not be. */
  const bring = async (from: string, change: (folder: string) => void) => {
    const copy = join(i.config.dataDir, 'brought');
    rmSync(copy, { recursive: true, force: true });
    cpSync(from, copy, { recursive: true });
    change(copy);
    const tar = execFileSync('tar', ['-cf', '-', '-C', copy, '.'], { maxBuffer: 1e9 });
    const r = await raw('/api/cases', {
      method: 'POST',
      headers: { 'content-type': 'application/x-tar' },
      body: new Uint8Array(tar),
    });
    return { status: r.status, body: (await r.json()) as { label: string; unverified: string | null; message: string } };
  };
  /** Its checksums made right again, as whoever changes a case would. */
  const sums = (folder: string) =>
    writeFileSync(
      join(folder, 'SHA256SUMS'),
      execFileSync('sh', ['-c', "find . -type f ! -name SHA256SUMS | sed 's#^./##' | sort | xargs sha256sum"], { cwd: folder }),
    );
  const rewrite = (folder: string, change: (manifest: string) => string) => {
    const file = join(folder, 'shipment.json');
    writeFileSync(file, change(readFileSync(file, 'utf8')));
    for (const mark of ['case.json']) {
      const text = readFileSync(join(folder, mark), 'utf8');
      writeFileSync(join(folder, mark), change(text));
    }
  };
  it('is signed: changed after that it is refused, unsigned or foreign it waits for a builder who types its name', async () => {
    // One that was packed before, in one case: it lies there as it went out.
    const cases = join(i.config.dataDir, 'cases');
    const packed = readdirSync(cases)
      .filter((l) => !l.startsWith('.') && existsSync(join(cases, l, 'case-1/shipment.json')))
      .map((l) => ({
        label: l,
        manifest: JSON.parse(readFileSync(join(cases, l, 'case-1/shipment.json'), 'utf8')) as { cases: unknown[] },
      }));
    const s = packed.find((p) => p.manifest.cases.length === 1) as (typeof packed)[number];
    const from = folder(s.label, 1);
    const changed = await bring(from, (f) => {
      rewrite(f, (w) => w.replaceAll(`"${s.label}"`, '"XX-1"').replaceAll('"repository":"', '"repository":"x'));
      sums(f);
    });
    expect(changed).toMatchObject({ status: 422, body: { message: expect.stringContaining('changed after it was packed') } });

    const unsigned = await bring(from, (f) => {
      rewrite(f, (w) => w.replaceAll(`"${s.label}"`, '"XX-2"'));
      rmSync(join(f, 'signature.json'));
      sums(f);
    });
    expect(unsigned.body).toMatchObject({ label: 'XX-2', unverified: 'nobody has signed it' });
    const refused = await c.call('POST', '/api/shipments/XX-2/start');
    expect([refused.status, refused.body.message]).toEqual([409, expect.stringContaining('XX-2 is not landed')]);
    const would = await c.good<{ changes: { image: string; what: string }[] }>('GET', '/api/shipments/XX-2/would-change');
    expect(would.changes).toContainEqual(expect.objectContaining({ image: expect.stringContaining(':') }));
    const planner = await i.as('planner');
    expect((await planner.call('POST', '/api/shipments/XX-2/accept', { confirm: 'XX-2' })).status).toBe(403);
    expect((await c.call('POST', '/api/shipments/XX-2/accept', { confirm: 'XX-1' })).status).toBe(422);
    await c.good('POST', '/api/shipments/XX-2/accept', { confirm: 'XX-2' });
    await c.good('POST', '/api/shipments/XX-2/start');
    await shipmentIn(c, 'XX-2', 'landed');
    const acts = await c.good<{ acts: { act: string; subject: string }[] }>('GET', '/api/acts');
    expect(acts.acts).toContainEqual(
      expect.objectContaining({ act: 'accepted a shipment that is not verified', subject: 'XX-2' }),
    );

    const other = newSigningKey();
    const foreign = (label: string) =>
      bring(from, (f) => {
        rewrite(f, (w) => w.replaceAll(`"${s.label}"`, `"${label}"`));
        const by = { name: 'hall', privateKey: other.privateKey };
        writeFileSync(join(f, 'signature.json'), JSON.stringify(signManifest(readFileSync(join(f, 'shipment.json')), by)));
        sums(f);
      });
    expect((await foreign('XX-3')).body.unverified).toContain('not trusted');
    // Once a warden trusts the key, what it signed needs nobody's acceptance.
    await c.good('POST', '/api/trust/installations', { name: 'Breakwater', key: other.key });
    expect((await foreign('XX-4')).body).toMatchObject({ label: 'XX-4', unverified: null });
    await c.good('DELETE', '/api/trust/installations/Breakwater');
    expect((await foreign('XX-5')).body.unverified).toContain('not trusted');
  });
});

describe('over a fast link', () => {
  it('that has no place at its registry yet is told from one that moves', async () => {
    const settings = (limits: object | undefined, rateMbit: number) =>
      c.good('POST', '/api/edits', {
        why: 'one at a time',
        edits: [
          { op: 'set', kind: 'Site', key: 'ptl', path: ['limits'], value: limits },
          { op: 'set', kind: 'Site', key: 'ptl', path: ['fastLink', 'rateMbit'], value: rateMbit },
        ],
      });
    await settings({ registry: 1 }, 0.1);
    const first = await plan({ target: 'ptl-registry', bills: ['small'], way: 'fast-link' });
    const second = await plan({ target: 'ptl-registry', bills: ['log-shipper'], way: 'fast-link' });
    await start(first.label);
    await eventually(async () => (await shipment(first.label)).startedAt, 'the first to have its place');
    await start(second.label);
    const db = i.running.ctx.db;
    await eventually(
      async () => (await db.query("select 1 from run where subject = $1 and state = 'running'", [second.label])).length,
      'the second to be driven',
    );
    expect(await shipment(second.label)).toMatchObject({ state: 'moving', startedAt: null });
    expect((await shipment(first.label)).state).toBe('moving');
    await c.good('POST', `/api/shipments/${first.label}/stop`);
    await eventually(async () => (await shipment(second.label)).startedAt, 'the second to have the place');
    await c.good('POST', `/api/shipments/${second.label}/stop`);
    await settings(undefined, 600);
  });
});
