import { execFileSync } from 'node:child_process';
import { cpSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, utimesSync, writeFileSync } from 'node:fs';
import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { authOf } from '@praesidor/core/images';
import { createRegistry, Store } from '@praesidor/registry';
import { makeCertificate, publish } from '@praesidor/standins';
import { main } from './main.ts';

/** Two real registries over TLS, and the command alone: what it would have in a room without anything else. */
const dir = mkdtempSync(join(tmpdir(), 'cli-images-'));
const estate = join(dir, 'estate');
const servers: Server[] = [];
const stores: Record<string, Store> = {};
const at: Record<string, string[]> = {};
const images = ['log-shipper:2.9.1', 'log-buffer:2.9.1', 'log-config:2.9.1'].map((n) => `images.upstream.example/addons/${n}`);

const key = join(dir, 'source.key');
const trusted = ['--trust', join(dir, 'trusted.keys')];

beforeAll(async () => {
  // Keys as an operator makes them: with OpenSSL.
  execFileSync('openssl', ['genpkey', '-algorithm', 'ed25519', '-out', key]);
  const der = execFileSync('openssl', ['pkey', '-in', key, '-pubout', '-outform', 'DER']);
  writeFileSync(join(dir, 'trusted.keys'), `# whose shipments we take\n${der.subarray(-32).toString('base64')} Briar Wharf\n`);
  cpSync(join(import.meta.dirname, '../../../demo/estate'), estate, { recursive: true });
  const pair = await makeCertificate({
    commonName: 'registries',
    names: ['images.upstream.example', 'registry.lr.kestrelferries.example'],
  });
  writeFileSync(join(dir, 'ca.crt'), pair.cert);
  for (const [name, host] of [
    ['source', 'images.upstream.example'],
    ['target', 'registry.lr.kestrelferries.example'],
  ] as const) {
    const store = await new Store(join(dir, name)).open();
    stores[name] = store;
    if (name === 'source')
      await publish(
        store,
        images.map((image) => ({
          image,
          layers: [
            { key: 'base', declaredBytes: 40e6 },
            { key: image, declaredBytes: 120e6 },
          ],
        })),
      );
    const server = createRegistry({ store, tls: pair, users: { keeper: 'k' }, scheme: 'bearer' });
    servers.push(server);
    await new Promise<void>((done) => {
      server.listen(0, '127.0.0.1', done);
    });
    const endpoint = `${host}:${(server.address() as AddressInfo).port}`;
    writeFileSync(join(dir, `${name}.json`), JSON.stringify({ auths: { [endpoint]: { auth: authOf('keeper', 'k') } } }));
    at[name] = ['--registry', endpoint, '--at', '127.0.0.1', '--ca', join(dir, 'ca.crt'), '--auth', join(dir, `${name}.json`)];
  }
  // The registry of the room stands on another port here than in the estate.
  const file = join(estate, 'lantern-rock.yaml');
  writeFileSync(file, readFileSync(file, 'utf8').replace('registry.lr.kestrelferries.example:5000', at.target?.[1] as string));
});
afterAll(() => {
  for (const s of servers) {
    s.closeAllConnections();
    s.close();
  }
  rmSync(dir, { recursive: true, force: true });
});

async function run(...args: string[]) {
  let out = '';
  let err = '';
  const code = await main(
    ['images', ...args],
    (t) => {
      out += t;
    },
    (t) => {
      err += t;
    },
  );
  return { code, out, err };
}
const json = async <T>(...args: string[]) => JSON.parse((await run(...args, '--json')).out) as T;
const cases = join(dir, 'cases');
const on = ['--estate', estate, '--now', '2026-11-23T09:00:00Z'];

describe('from a source to a room, with nothing but the command and the media', () => {
  it('a bill is walked at its source, kept, and read from there', async () => {
    const walked = await run('bill', 'log-shipper', ...on, ...(at.source as string[]), '--out', join(estate, 'observed/bills'));
    // Three images; one base of 40e6/2000 = 20 kB for all, and 60 kB of each its own: 7 blobs with the configurations
    expect(walked).toMatchObject({ code: 0, err: '' });
    expect(walked.out).toContain('log-shipper: 3 images, 7 blobs, 20');
    expect(walked.out).toContain('400 MB as declared');
    expect((await run('bill', 'log-shipper', ...on)).out).toBe(walked.out);
  });
  it('what the room lacks is listed, and only that is packed, in cases of a size', async () => {
    const lack = await run('missing', 'log-shipper', ...on, ...(at.target as string[]), '--json');
    expect(lack.code).toBe(1);
    writeFileSync(join(dir, 'lacking.json'), lack.out);
    const packed = await json<{ cases: { number: number; bytes: number }[]; images: number }>(
      'pack',
      'log-shipper',
      ...on,
      ...(at.source as string[]),
      '--out',
      cases,
      '--case-size',
      '100 kB',
      '--lacking',
      join(dir, 'lacking.json'),
      '--name',
      'LR-9',
      '--sign-with',
      key,
      '--signer',
      'whoever',
      '--to',
      at.target?.[1] as string,
    );
    expect(packed.images).toBe(3);
    // 3 × 60 kB and a base of 20 kB: a case of 100 kB holds one of them and the base
    expect(packed.cases.map((c) => c.number)).toEqual([1, 2, 3]);
    for (const n of [1, 2, 3]) execFileSync('sha256sum', ['--quiet', '-c', 'SHA256SUMS'], { cwd: join(cases, `case-${n}`) });
    const seen = await run('verify', cases, ...trusted);
    expect(seen.out).toContain('LR-9 is whole: 3 images');
    // Called by the name that its key has here, whatever it calls itself.
    expect(seen.out).toContain('whole, signed by Briar Wharf');
    expect((await run('verify', cases)).out).toContain('signed by whoever, whose key is not trusted');
  });
  it('a damaged case and one that is not there are named, with the least that makes it good', async () => {
    const blobs = join(cases, 'case-2/blobs/sha256');
    const big = readdirSync(blobs).find((f) => statSync(join(blobs, f)).size > 50_000) as string;
    const bytes = readFileSync(join(blobs, big));
    bytes[7] = (bytes[7] as number) ^ 1;
    writeFileSync(join(blobs, big), bytes);
    execFileSync('tar', ['-cf', join(dir, 'case-1.tar'), '-C', join(cases, 'case-1'), '.']);
    const v = await run('verify', join(dir, 'case-1.tar'), join(cases, 'case-2'), '--json');
    expect(v.code).toBe(1);
    const { repair } = JSON.parse(v.out) as {
      repair: { missing: number[]; damaged: { case: number; path: string }[]; bytes: number };
    };
    expect(repair.missing).toEqual([3]);
    expect(repair.damaged).toMatchObject([{ case: 2, path: `blobs/sha256/${big}` }]);
    writeFileSync(join(dir, 'report.json'), v.out);
    const two = [join(cases, 'case-2'), join(dir, 'case-1.tar')];
    const nobody = await run('land', ...two, ...(at.target as string[]));
    expect(nobody).toMatchObject({ code: 2, err: expect.stringContaining('--accept LR-9') });
    expect(await stores.target?.digests()).toEqual([]);
    const landed = await run('land', ...two, ...trusted, ...(at.target as string[]));
    expect(landed.code).toBe(1);
    expect(landed.out).toContain(`blobs/sha256/${big} has other bytes than were packed`);
    expect(landed.out).toMatch(/images wait for other cases/);
    expect(await stores.target?.digests()).not.toContain(`sha256:${big}`);
  });
  it('a manifest that was changed after it was signed is not landed, by no name', async () => {
    const changed = join(dir, 'changed');
    cpSync(join(cases, 'case-1'), changed, { recursive: true });
    const file = join(changed, 'shipment.json');
    writeFileSync(file, readFileSync(file, 'utf8').replaceAll('addons/log-shipper', 'addons/log-shopper'));
    const r = await run('land', changed, '--accept', 'LR-9', ...trusted, ...(at.target as string[]));
    expect(r).toMatchObject({ code: 2, err: expect.stringContaining('changed after it was packed') });
    expect((await run('verify', changed, ...trusted)).code).toBe(1);
  });
  it('the repair is packed and landed, and everything is there', async () => {
    const mend = join(dir, 'mend');
    const p = await json<{ cases: { bytes: number }[] }>(
      'pack',
      'log-shipper',
      ...on,
      ...(at.source as string[]),
      '--out',
      mend,
      '--repair',
      join(dir, 'report.json'),
      '--name',
      'LR-10',
    );
    expect(p.cases).toHaveLength(1);
    const shown = await run('land', mend, ...trusted, ...(at.target as string[]));
    expect(shown.code).toBe(2);
    expect(shown.out).toMatch(/LR-10 is not signed\. It would put \d images:\n {2}addons\/log-/);
    expect((await run('land', mend, '--accept', 'LR-9', ...(at.target as string[]))).code).toBe(2);
    expect((await run('land', mend, '--accept', 'LR-10', ...(at.target as string[]))).out).toContain(
      'everything is at registry.lr.kestrelferries.example',
    );
    expect((await run('missing', 'log-shipper', ...on, ...(at.target as string[]))).code).toBe(0);
    expect(await stores.target?.tags('addons/log-buffer')).toEqual(['2.9.1']);
  });
});

describe('where, and what can go', () => {
  it('says where a host would pull from, and where it fails', async () => {
    const w = await run('where', 'bw-01', 'images.upstream.example/addons/log-shipper:2.9.1', ...on);
    expect(w.out).toMatch(/^registry\.bw\.kestrelferries\.example:5000\/addons\/log-shipper:2\.9\.1\n/);
    expect(w.out).toContain('+ longest rule images.upstream.example → registry.bw.kestrelferries.example:5000');
    expect((await run('where', 'bw-01', 'log-shipper', ...on)).err).toContain('must begin with a registry');
    expect((await run('where', 'bw-011', 'x.example/y:1', ...on)).err).toContain('did you mean bw-01?');
  });
  it('touches nothing until it is told to', async () => {
    // plover, the room's cluster, is not to have the add-on any more.
    const file = join(estate, 'lantern-rock.yaml');
    writeFileSync(file, readFileSync(file, 'utf8').replace(/addons: \[.*\]/, 'addons: []'));
    const dry = await run('clean-up', ...on, ...(at.target as string[]));
    expect(dry.out).toContain('goes   log-shipper: 3 images');
    expect(dry.out).toContain('3 names, 20');
    expect(await stores.target?.tags('addons/log-buffer')).toEqual(['2.9.1']);
    const old = new Date(Date.now() - 7_200_000);
    for (const e of readdirSync(join(dir, 'target'), { recursive: true, withFileTypes: true }))
      if (e.isFile()) utimesSync(join(e.parentPath, e.name), old, old);
    const done = await run('clean-up', ...on, ...(at.target as string[]), '--do');
    expect(done.out).toMatch(/took 3 names and \d+ blobs/);
    expect(await stores.target?.digests()).toEqual([]);
    expect((await run('clean-up', ...on, ...(at.source as string[]))).err).toContain('is no registry of this estate');
  });
  it.each([
    [['missing', 'log-shipper'], '--registry is needed'],
    [['bill', 'log-shiper'], 'did you mean log-shipper?'],
    [['verify', '/nowhere'], 'there is no such folder or archive'],
  ])('%j is refused in words', async (args, why) => {
    const r = await run(...(args as string[]), ...(args[0] === 'verify' ? [] : on));
    expect([r.code, r.err]).toEqual([2, expect.stringContaining(why as string)]);
  });
  it('without trust anchors, or with wrong credentials, nothing is shown to anybody', async () => {
    const bare = (at.target as string[]).filter((_, n, all) => all[n - 1] !== '--ca' && all[n] !== '--ca');
    expect((await run('missing', 'log-shipper', ...on, ...bare)).err).toContain('--ca is needed');
    writeFileSync(
      join(dir, 'wrong.json'),
      JSON.stringify({ auths: { [at.target?.[1] as string]: { auth: authOf('keeper', 'nearly') } } }),
    );
    const wrong = (at.target as string[]).map((a) => (a.endsWith('target.json') ? join(dir, 'wrong.json') : a));
    const r = await run('missing', 'log-shipper', ...on, ...wrong);
    expect(r.code).toBe(2);
    expect(r.err).not.toContain('nearly');
  });
});

describe('a registry that is not ours, and keeps images below a path of its own', () => {
  const of = (...more: string[]) => [...on, ...(at.plain as string[]), ...more];
  beforeAll(async () => {
    const store = await new Store(join(dir, 'plain')).open();
    stores.plain = store;
    const pair = await makeCertificate({ commonName: 'plain', names: ['registry.plain.example'] });
    writeFileSync(join(dir, 'plain.crt'), pair.cert);
    const server = createRegistry({
      store,
      tls: pair,
      users: { keeper: 'k' },
      before: (req, res) => {
        if (!req.url?.startsWith('/praesidor/')) return false;
        res.writeHead(404).end();
        return true;
      },
    });
    servers.push(server);
    await new Promise<void>((done) => {
      server.listen(0, '127.0.0.1', done);
    });
    const endpoint = `registry.plain.example:${(server.address() as AddressInfo).port}`;
    writeFileSync(join(dir, 'plain.json'), JSON.stringify({ auths: { [endpoint]: { auth: authOf('keeper', 'k') } } }));
    at.plain = ['--registry', endpoint, '--at', '127.0.0.1', '--ca', join(dir, 'plain.crt'), '--auth', join(dir, 'plain.json')];
    writeFileSync(
      join(estate, 'plain.yaml'),
      `apiVersion: praesidor/v1\nkind: Registry\nname: plain\nsite: lr\nrole: standing\nendpoint: '${endpoint}'\nkeeps: [{source: images.upstream.example, under: rooms/lr}]\n`,
    );
  });
  it('is asked for what the bill names, and gets it where it keeps it', async () => {
    expect((await run('missing', 'log-shipper', ...of())).code).toBe(1);
    const box = join(dir, 'plain-cases');
    const to = ['--to', (at.plain as string[])[1] as string];
    await json('pack', 'log-shipper', ...on, ...(at.source as string[]), '--out', box, '--name', 'LR-10', ...to);
    const landed = await run('land', box, '--accept', 'LR-10', ...(at.plain as string[]));
    expect([landed.code, landed.err]).toEqual([0, '']);
    expect(await stores.plain?.tags('rooms/lr/addons/log-shipper')).toEqual(['2.9.1']);
    expect(await stores.plain?.tags('addons/log-shipper')).toBeUndefined();
    expect(await run('missing', 'log-shipper', ...of())).toMatchObject({ code: 0, out: expect.stringMatching(/^0 blobs/) });
  });
  it('is told what may go by its own names, and frees the rest in its own time', async () => {
    const dry = await json<{ deletes: { repository: string }[] }>('clean-up', ...of('--keep', '0'));
    expect(dry.deletes.map((x) => x.repository)).toContain('rooms/lr/addons/log-shipper');
    expect((await run('clean-up', ...of('--keep', '0', '--do'))).out).toContain('took 3 names and 0 blobs');
    expect((await run('missing', 'log-shipper', ...of())).code).toBe(1);
  });
});

describe('a certificate from an authority that signs elsewhere', () => {
  it('is asked for with a request that OpenSSL verifies, and its answer is taken', async () => {
    const out = join(dir, 'asked');
    const made = await run('request', 'registry.room.example', '--also', '10.62.8.40', '--out', out);
    expect(made).toMatchObject({ code: 0, err: '' });
    const ssl = (...args: string[]) => execFileSync('openssl', args, { cwd: out, encoding: 'utf8', stdio: 'pipe' });
    const said = ssl('req', '-in', 'registry.room.example.csr', '-verify', '-noout', '-text');
    expect(said).toMatch(/DNS:registry\.room\.example, IP Address:10\.62\.8\.40/);
    expect(statSync(join(out, 'registry.room.example.key')).mode & 0o777).toBe(0o600);
    expect((await run('request', 'registry.room.example', '--out', out)).err).toContain('is there already');
    ssl(
      'req',
      '-x509',
      '-newkey',
      'ec',
      '-pkeyopt',
      'ec_paramgen_curve:P-256',
      '-nodes',
      '-keyout',
      'ca.key',
      '-out',
      'ca.crt',
      '-subj',
      '/CN=Room CA',
    );
    const sign = (csr: string, to: string) =>
      ssl(
        'x509',
        '-req',
        '-in',
        csr,
        '-CA',
        'ca.crt',
        '-CAkey',
        'ca.key',
        '-CAcreateserial',
        '-copy_extensions',
        'copyall',
        '-out',
        to,
      );
    sign('registry.room.example.csr', 'signed.crt');
    const taken = await run('answer', 'registry.room.example', join(out, 'signed.crt'), '--out', out);
    expect(taken.out).toContain('for registry.room.example, until');
    expect(
      ssl('verify', '-CAfile', 'ca.crt', '-verify_hostname', 'registry.room.example', 'registry.room.example.crt'),
    ).toContain('OK');
    ssl(
      'req',
      '-newkey',
      'ec',
      '-pkeyopt',
      'ec_paramgen_curve:P-256',
      '-nodes',
      '-keyout',
      'o.key',
      '-out',
      'o.csr',
      '-subj',
      '/CN=registry.room.example',
    );
    sign('o.csr', 'o.crt');
    expect((await run('answer', 'registry.room.example', join(out, 'o.crt'), '--out', out)).err).toContain(
      'for the key of this request',
    );
  });
});
