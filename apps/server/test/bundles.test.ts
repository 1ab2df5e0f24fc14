import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gunzipSync, gzipSync } from 'node:zlib';
import type { BundleBrought, BundleChanges, BundleMade, BundleTaken, OtherInstallations } from '@praesidor/contract';
import { nameOf, partOf } from '@praesidor/core/bundles';
import { type Doc, type Host, kinds, type NameRecord, type Network, type Registry } from '@praesidor/core/model';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Answer, type Client, eventually, Installation } from './installation.ts';

/** The estate at home, and an installation of its own in the sealed room of Lantern Rock, which begins with nothing. */
const home = new Installation();
const room = new Installation();
let h: Client;
let r: Client;
const dir = mkdtempSync(join(tmpdir(), 'carried-'));
beforeAll(async () => {
  await home.start();
  await room.start({ bare: true, beside: home });
  [h, r] = [await home.as('warden'), await room.as('warden')];
  const like = await doc<Host>(h, 'Host', 'lr-01');
  const { bmc: _, held: __, ...rest } = like;
  await home.declare(
    ['lr-02', 'lr-04', 'lr-05'].map((name, n) => ({
      ...rest,
      name,
      state: 'listed',
      unit: 20 + n,
      facts: { ...(like.facts as NonNullable<Host['facts']>), serial: `S-${name}`, nics: [] },
    })),
  );
  const record = (name: string) =>
    kinds.Record.parse({ kind: 'Record', zone: 'lr.kestrelferries.example', name, type: 'A', value: '10.62.8.99' });
  await home.declare([record('buoy'), record('bell')]);
});
afterAll(async () => {
  rmSync(dir, { recursive: true, force: true });
  await room.stop();
  await home.stop();
});

const about = (c: Client) => c.good<OtherInstallations>('GET', '/api/installations');
const other = async (c: Client) => (await about(c)).others[0] as OtherInstallations['others'][number];
const make = (c: Client, name: string) => c.good<BundleMade>('POST', `/api/installations/${name}/bundles`);
async function file(c: Client, id: number): Promise<Buffer> {
  const answer = await fetch(`${c.url}/api/bundles/${id}/file`, { headers: { cookie: c.cookie } });
  if (!answer.ok) throw new Error(await answer.text());
  return Buffer.from(await answer.arrayBuffer());
}
async function bring(c: Client, content: Buffer): Promise<Answer<BundleBrought>> {
  const answer = await fetch(`${c.url}/api/bundles`, {
    method: 'POST',
    headers: { cookie: c.cookie, 'x-csrf-token': c.csrf, 'content-type': 'application/gzip' },
    body: new Uint8Array(content),
  });
  return { status: answer.status, body: (await answer.json()) as Answer<BundleBrought>['body'] };
}
const look = (c: Client, id: number) => c.good<BundleChanges>('GET', `/api/bundles/${id}`);
const take = (c: Client, id: number, choices: object[] = []) =>
  c.call<BundleTaken>('POST', `/api/bundles/${id}/take-in`, { choices });
/** Made at one, carried, and taken in at the other, with nothing to decide. */
async function carry(from: Client, to: Client): Promise<Answer<BundleTaken>> {
  const { id } = await make(from, (await other(from)).name);
  const brought = await bring(to, await file(from, id));
  expect(brought.status, JSON.stringify(brought.body)).toBe(201);
  const taken = await take(to, brought.body.id);
  expect(taken.status, JSON.stringify(taken.body)).toBe(200);
  return taken;
}
const set = (c: Client, kind: string, key: string, path: string[], value: unknown) =>
  c.good('POST', '/api/edits', { why: 'set', edits: [{ op: 'set', kind, key, path, value }] });
const doc = async <D extends Doc>(c: Client, kind: string, key: string) =>
  (await c.good<{ doc: D; version: number }>('GET', `/api/documents/${kind}/${key}`)).doc;
const sorted = (docs: readonly Doc[]) => [...docs].sort((a, b) => (nameOf(a) < nameOf(b) ? -1 : 1));

describe('two installations', () => {
  it('know each other by their keys, and where the other one stands', async () => {
    const [mine, theirs] = [(await about(h)).own, (await about(r)).own];
    await h.good('POST', '/api/trust/installations', { name: 'lantern-rock', key: theirs.key });
    await r.good('POST', '/api/trust/installations', { name: 'home', key: mine.key });
    expect((await other(h)).fingerprint).toBe(theirs.fingerprint);
    const before = await h.call('POST', '/api/installations/lantern-rock/bundles');
    expect([before.status, before.body.message]).toEqual([409, 'It is not known at which sites lantern-rock stands.']);
    const unknown = await h.call('PUT', '/api/installations/lantern-rock/sites', { sites: ['lr', 'nowhere'] });
    expect([unknown.status, unknown.body.message]).toEqual([404, 'There is no site nowhere.']);
    await h.good('PUT', '/api/installations/lantern-rock/sites', { sites: ['lr'] });
    expect((await h.estate()).observed.heard).toEqual({ lr: { installation: 'lantern-rock' } });
  });
  it('carry the plan: the first bundle brings all that the site needs, as it stands at home', async () => {
    const { id, number } = await make(h, 'lantern-rock');
    expect(number).toBe(1);
    writeFileSync(join(dir, 'first.tar.gz'), await file(h, id));
    const brought = await bring(r, readFileSync(join(dir, 'first.tar.gz')));
    expect([brought.status, brought.body.from, brought.body.number]).toEqual([201, 'home', 1]);
    const part = sorted(partOf(await h.estate(), ['lr']));
    const seen = await look(r, brought.body.id);
    expect(seen.changes.map((c) => `${c.kind} ${c.key}`).sort()).toEqual(part.map(nameOf).sort());
    expect(seen.changes.every((c) => c.what === 'added' && !c.collisions.length)).toBe(true);
    // To look at it has changed nothing.
    expect((await r.estate()).hosts).toEqual([]);
    const taken = await take(r, brought.body.id);
    expect([taken.status, taken.body.documents]).toEqual([200, part.length]);
    const there = await r.estate();
    expect(sorted(partOf(there, ['lr']))).toEqual(part);
    expect(there.charters.map((c) => c.name)).toEqual(part.flatMap((d) => (d.kind === 'Charter' ? [d.name] : [])));
    // The secrets stay at home.
    expect(gunzipSync(readFileSync(join(dir, 'first.tar.gz'))).toString('latin1')).not.toContain('PRIVATE KEY');
  });
  it('sign what they make so that others can verify it: openssl and sha256sum', () => {
    const at = join(dir, 'opened');
    mkdirSync(at);
    execFileSync('tar', ['-xzf', join(dir, 'first.tar.gz'), '-C', at]);
    const manifest = readFileSync(join(at, 'bundle.json'));
    const { files } = JSON.parse(manifest.toString()) as { files: { path: string; sha256: string }[] };
    writeFileSync(join(at, 'SHA256SUMS'), files.map((f) => `${f.sha256}  ${f.path}\n`).join(''));
    execFileSync('sha256sum', ['--quiet', '--strict', '-c', 'SHA256SUMS'], { cwd: at });
    const { key, signature } = JSON.parse(readFileSync(join(at, 'signature.json'), 'utf8')) as { key: string; signature: string };
    writeFileSync(
      join(at, 'key.der'),
      Buffer.concat([Buffer.from('302a300506032b6570032100', 'hex'), Buffer.from(key, 'base64')]),
    );
    writeFileSync(join(at, 'signature'), Buffer.from(signature, 'base64'));
    const verify = (text: Buffer) => {
      writeFileSync(join(at, 'signed'), Buffer.concat([Buffer.from('praesidor bundle v1\n'), text]));
      return execFileSync(
        'openssl',
        [
          'pkeyutl',
          '-verify',
          '-pubin',
          '-keyform',
          'DER',
          '-inkey',
          'key.der',
          '-rawin',
          '-in',
          'signed',
          '-sigfile',
          'signature',
        ],
        { cwd: at, encoding: 'utf8', stdio: 'pipe' },
      );
    };
    expect(verify(manifest)).toContain('Signature Verified Successfully');
    expect(() => verify(Buffer.from(manifest.toString().replace('"number": 1', '"number": 2')))).toThrow();
  });
});

describe('a bundle that was taken in', () => {
  it('has nothing new: brought again it is refused, and nothing changes', async () => {
    await set(r, 'Network', 'lr-machine', ['mtu'], 9000);
    const again = await bring(r, readFileSync(join(dir, 'first.tar.gz')));
    expect([again.status, again.body.code]).toEqual([409, 'not-now']);
    expect(again.body.message).toMatch(
      /^Bundle 1 of home has nothing new: bundle 1 was taken in on \d{4}-\d\d-\d\d \d\d:\d\d UTC by warden\.$/,
    );
    expect((await doc<Network>(r, 'Network', 'lr-machine')).mtu).toBe(9000);
    await set(r, 'Network', 'lr-machine', ['mtu'], (await doc<Network>(h, 'Network', 'lr-machine')).mtu);
  });
  it('that is older than one taken in later is refused as well; one that waited goes with it', async () => {
    const old = await make(h, 'lantern-rock');
    const oldFile = await file(h, old.id);
    const waiting = await bring(r, oldFile);
    expect((await bring(r, oldFile)).body.id).toBe(waiting.body.id);
    await carry(h, r);
    expect((await bring(r, oldFile)).status).toBe(409);
    expect((await take(r, waiting.body.id)).status).toBe(404);
  });
});

describe('what was changed there', () => {
  it('comes home beside what was changed here: both stand, and the age of what is known is told', async () => {
    await set(r, 'Host', 'lr-05', ['unit'], 31);
    await set(h, 'Host', 'lr-05', ['height'], 2);
    const taken = await carry(r, h);
    expect(taken.body.documents).toBe(1);
    expect(await doc<Host>(h, 'Host', 'lr-05')).toMatchObject({ unit: 31, height: 2 });
    const heard = (await h.estate()).observed.heard.lr;
    expect([heard?.installation, heard?.bundle?.number]).toEqual(['lantern-rock', 1]);
    expect(Date.now() - Date.parse(heard?.bundle?.made ?? '')).toBeLessThan(60_000);
    // In the room nothing is older than what is known: it stands there itself.
    expect((await r.estate()).observed.heard).toEqual({});
  });
  it('and here too is shown side by side, and keeps all of the bundle out until it is decided', async () => {
    await set(r, 'Host', 'lr-05', ['unit'], 33);
    await set(r, 'Host', 'lr-02', ['height'], 4);
    await set(h, 'Host', 'lr-05', ['unit'], 35);
    const { id } = await make(r, 'home');
    const brought = await bring(h, await file(r, id));
    const seen = await look(h, brought.body.id);
    const mine = seen.changes.find((c) => c.key === 'lr-05');
    expect(mine?.collisions).toEqual([{ path: ['unit'], before: 31, mine: 33, theirs: 35 }]);
    const refused = await take(h, brought.body.id);
    expect([refused.status, refused.body.code]).toEqual([409, 'conflict']);
    expect(refused.body.message).toBe('1 document was changed here and at lantern-rock: Host lr-05. Nothing was taken in.');
    expect((await doc<Host>(h, 'Host', 'lr-02')).height).toBeUndefined();
    const unit = { kind: 'Host', key: 'lr-05', path: ['unit'] };
    const taken = await take(h, brought.body.id, [{ ...unit, keep: 'here' }]);
    expect([taken.status, taken.body.documents]).toEqual([200, 1]);
    expect([(await doc<Host>(h, 'Host', 'lr-05')).unit, (await doc<Host>(h, 'Host', 'lr-02')).height]).toEqual([35, 4]);
    // What was decided at home is theirs with the next bundle.
    await carry(h, r);
    expect((await doc<Host>(r, 'Host', 'lr-05')).unit).toBe(35);
  });
  it('and set back while bundles of both were under way is set back there as well', async () => {
    const height = async (c: Client) => (await doc<Host>(c, 'Host', 'lr-04')).height;
    const bundle = async (from: Client) => file(from, (await make(from, (await other(from)).name)).id);
    const takes = async (to: Client, content: Buffer) => {
      const taken = await take(to, (await bring(to, content)).body.id);
      expect(taken.status, JSON.stringify(taken.body)).toBe(200);
    };
    await carry(h, r);
    await carry(r, h);
    const before = await height(h);
    await set(h, 'Host', 'lr-04', ['height'], 7);
    const [sent, met] = [await bundle(h), await bundle(r)];
    await takes(r, sent);
    const again = await bundle(h);
    await takes(h, met);
    await takes(r, again);
    expect([await height(h), await height(r)]).toEqual([7, 7]);
    await set(h, 'Host', 'lr-04', ['height'], before);
    await carry(h, r);
    expect([await height(h), await height(r)]).toEqual([before, before]);
  });
  it('is one act in the record, which is undone as one', async () => {
    await set(r, 'Host', 'lr-02', ['height'], 3);
    await set(r, 'Host', 'lr-04', ['height'], 3);
    const { body } = await carry(r, h);
    expect(body.documents).toBe(2);
    await h.good('POST', `/api/acts/${body.act}/undo`);
    expect([(await doc<Host>(h, 'Host', 'lr-02')).height, (await doc<Host>(h, 'Host', 'lr-04')).height]).toEqual([4, undefined]);
    // And goes back there, as anybody's change does.
    await carry(h, r);
    expect((await doc<Host>(r, 'Host', 'lr-04')).height).toBeUndefined();
  });
  it('has what was read of the machines: it is taken where it is newer, and is nobody’s edit', async () => {
    await room.query(
      'update host_seen set facts = facts || \'{"cores": 48, "at": "2030-01-01T00:00:00Z"}\' where key = \'lr-02\'',
    );
    await room.query("insert into event (kind, subject) values ('Host', 'lr-02')");
    await set(h, 'Host', 'lr-02', ['height'], 2);
    const version = async () =>
      (await home.query<{ version: number }>("select version from host where key = 'lr-02'"))[0]?.version;
    const before = await version();
    await carry(r, h);
    expect(await doc<Host>(h, 'Host', 'lr-02')).toMatchObject({ height: 2, facts: { cores: 48 } });
    expect(await version()).toBe(before);
    // Read again at home with an older date, it does not go back.
    await home.query(
      'update host_seen set facts = facts || \'{"cores": 8, "at": "2029-01-01T00:00:00Z"}\' where key = \'lr-02\'',
    );
    await home.query("insert into event (kind, subject) values ('Host', 'lr-02')");
    await carry(h, r);
    expect((await doc<Host>(r, 'Host', 'lr-02')).facts?.cores).toBe(48);
    expect((await look(r, (await other(r)).bundles.find((b) => b.way === 'from')?.id ?? 0)).changes).toEqual([]);
  });
  it('a document that is gone there goes here, and one that was changed here meanwhile does not by itself', async () => {
    const { records } = await r.estate();
    const [record, kept] = ['bell', 'buoy'].map((name) => records.find((x) => x.name === name));
    const key = (d: NameRecord | undefined) => `${d?.name} ${d?.type} ${d?.value}`;
    const drop = (d: NameRecord | undefined) =>
      r.good('POST', '/api/edits', { why: 'gone', edits: [{ op: 'drop', kind: 'Record', key: key(d) }] });
    await drop(record);
    await drop(kept);
    await set(h, 'Record', key(kept), ['ttl'], 77);
    const { id } = await make(r, 'home');
    const brought = await bring(h, await file(r, id));
    const seen = await look(h, brought.body.id);
    const ofRecords = seen.changes.filter((c) => c.kind === 'Record');
    expect(ofRecords.map((c) => [c.key, c.collisions.length]).sort()).toEqual(
      [
        [key(record), 0],
        [key(kept), 1],
      ].sort(),
    );
    expect((await take(h, brought.body.id)).status).toBe(409);
    expect((await take(h, brought.body.id, [{ kind: 'Record', key: key(kept), path: [], keep: 'here' }])).status).toBe(200);
    const left = (await h.estate()).records.map(key);
    expect([left.includes(key(record)), left.includes(key(kept))]).toEqual([false, true]);
  });
});

describe('a bundle that is not what it says', () => {
  const opened = (name: string) => {
    const at = join(dir, name);
    mkdirSync(at);
    execFileSync('tar', ['-xzf', join(dir, 'good.tar.gz'), '-C', at]);
    return at;
  };
  const closed = (at: string) => execFileSync('tar', ['-czf', '-', '-C', at, '.'], { maxBuffer: 1e9 });
  const edit = (path: string, change: (text: string) => string) => writeFileSync(path, change(readFileSync(path, 'utf8')));
  beforeAll(async () => writeFileSync(join(dir, 'good.tar.gz'), await file(h, (await make(h, 'lantern-rock')).id)));

  it.each<[string, (at: string) => void, number, RegExp]>([
    [
      'a document was changed',
      (at) => edit(join(at, 'documents.yaml'), (t) => t.replace('lr-05', 'lr-50')),
      422,
      /documents\.yaml is not the file that was signed/,
    ],
    [
      'its manifest was changed',
      (at) => edit(join(at, 'bundle.json'), (t) => t.replace('"taken"', '"Taken"')),
      422,
      /the manifest is not the one that was signed/,
    ],
    ['a file is missing', (at) => rmSync(join(at, 'observed.json')), 422, /observed\.json is missing/],
    ['nobody signed it', (at) => rmSync(join(at, 'signature.json')), 422, /nobody has signed it/],
    ['it is no bundle', (at) => rmSync(join(at, 'bundle.json')), 422, /it has no bundle\.json/],
  ])('%s: it is refused', async (name, change, status, says) => {
    const at = opened(name.replaceAll(' ', '-'));
    change(at);
    const answer = await bring(r, closed(at));
    expect([answer.status, answer.body.message]).toEqual([status, expect.stringMatching(says)]);
    expect((await other(r)).bundles.filter((b) => b.state === 'waiting')).toEqual([]);
  });
  it('it cannot be read at all, or its paths climb out: it is refused', async () => {
    for (const content of [Buffer.alloc(0), gzipSync(Buffer.from('a letter')), Buffer.from('x'.repeat(3000))])
      expect((await bring(r, content)).status).toBe(422);
    const at = opened('climbs');
    const climbing = execFileSync('tar', ['-czf', '-', '--transform', 's#^./observed#../observed#', '-C', at, '.'], {
      maxBuffer: 1e9,
    });
    const answer = await bring(r, climbing);
    expect([answer.status, answer.body.message]).toEqual([422, expect.stringContaining('its path climbs out')]);
  });
  it('it is for another installation, or of this one: it is refused', async () => {
    const own = await bring(h, readFileSync(join(dir, 'good.tar.gz')));
    expect([own.status, own.body.message]).toEqual([422, 'This installation made the bundle itself: it is for another one.']);
    await home.query("update trusted_instance set public_key = $1 where name = 'lantern-rock'", [
      Buffer.alloc(32, 5).toString('base64'),
    ]);
    const { id } = await make(h, 'lantern-rock');
    const answer = await bring(r, await file(h, id));
    expect([answer.status, answer.body.message]).toEqual([
      422,
      'home made the bundle for another installation, and not for this one.',
    ]);
    await home.query("update trusted_instance set public_key = $1 where name = 'lantern-rock'", [(await about(r)).own.key]);
  });
  it('its maker is not trusted here, or not any more: it is refused', async () => {
    const key = (await other(r)).key;
    const waits = await bring(r, readFileSync(join(dir, 'good.tar.gz')));
    expect(waits.status).toBe(201);
    await r.good('DELETE', '/api/trust/installations/home');
    const taken = await take(r, waits.body.id);
    expect([taken.status, taken.body.code]).toEqual([403, 'not-allowed']);
    const answer = await bring(r, readFileSync(join(dir, 'good.tar.gz')));
    expect([answer.status, answer.body.message]).toEqual([403, expect.stringMatching(/whose key is not trusted here/)]);
    await r.good('POST', '/api/trust/installations', { name: 'home', key });
    await r.good('DELETE', `/api/bundles/${waits.body.id}`);
    expect((await other(r)).bundles.filter((b) => b.state === 'waiting')).toEqual([]);
  });
});

describe('a site where another installation stands', () => {
  it('is reached from there alone: every act at its machines is refused at home, whoever asks, and says where it is done', async () => {
    const says = /^The installation lantern-rock stands at lr: this is done from there\.$/;
    for (const [role, method, path, body] of [
      ['warden', 'POST', '/api/hosts/lr-01/refresh', undefined],
      ['builder', 'POST', '/api/hosts/sweep', { site: 'lr', range: '10.62.7.10' }],
      ['builder', 'POST', '/api/registries/lr-registry/look', undefined],
      ['warden', 'POST', '/api/builds', { charter: 'plover' }],
      ['warden', 'POST', '/api/sites/lr/power', { to: 'start', site: 'lr' }],
    ] as const) {
      const a = await (await home.as(role)).call(method, path, body);
      expect([path, a.status, a.body.message]).toEqual([path, 409, expect.stringMatching(says)]);
    }
    // In the room itself nothing of that holds: what is said there is about the host.
    expect((await r.call('POST', '/api/hosts/lr-01/refresh')).body.message ?? '').not.toMatch(says);
    expect((await h.call('POST', '/api/hosts/bw-01/refresh')).body.message ?? '').not.toMatch(says);
  });
  it('is not looked at from home: what was seen there stays as it came', async () => {
    const seen = async () => (await h.estate()).observed.registries;
    const before = await seen();
    for (const key of ['lr-registry', 'bw-registry']) {
      const { ca } = await doc<Registry>(h, 'Registry', key);
      await set(h, 'Registry', key, ['ca'], `${ca}\n`);
    }
    await eventually(async () => (await seen())['bw-registry']?.at !== before['bw-registry']?.at, 'the one at home is looked at');
    expect((await seen())['lr-registry']?.at).toBe(before['lr-registry']?.at);
  });
});

describe('who may', () => {
  it('make bundles: builders; take them in, and say where an installation stands: wardens', async () => {
    const name = (await other(h)).name;
    const status = async (role: 'reader' | 'planner' | 'builder', method: string, path: string, body?: object) =>
      (await (await home.as(role)).call(method, path, body)).status;
    expect(await status('planner', 'POST', `/api/installations/${name}/bundles`)).toBe(403);
    expect(await status('builder', 'POST', `/api/installations/${name}/bundles`)).toBe(201);
    const brought = await bring(h, await file(r, (await make(r, 'home')).id));
    expect(await status('builder', 'POST', `/api/bundles/${brought.body.id}/take-in`, { choices: [] })).toBe(403);
    expect(await status('builder', 'DELETE', `/api/bundles/${brought.body.id}`)).toBe(403);
    expect(await status('builder', 'PUT', `/api/installations/${name}/sites`, { sites: [] })).toBe(403);
    expect(await status('reader', 'GET', `/api/bundles/${brought.body.id}`)).toBe(200);
    expect((await bring(await home.as('builder'), Buffer.alloc(10))).status).toBe(403);
  });
  it('a bundle is taken in by one of many who ask at once', async () => {
    const waiting = (await other(h)).bundles.find((b) => b.state === 'waiting');
    const all = await Promise.all([1, 2, 3, 4].map(() => take(h, waiting?.id ?? 0)));
    expect(all.map((a) => a.status).sort()).toEqual([200, 409, 409, 409]);
  });
});
