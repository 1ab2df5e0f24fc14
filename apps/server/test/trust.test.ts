import { execFileSync } from 'node:child_process';
import { createPrivateKey, X509Certificate } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { catalogue, makeChecker } from '@praesidor/core/checks';
import { makeCertificate } from '@praesidor/standins';
import { renewDue, type CertificateMade, type TrustView } from '../src/areas/images/trust.ts';
import { type Client, eventually, Installation } from './installation.ts';

/** Who signs for a registry: authorities made and brought along, certificates handed over, renewed in good time. */
const i = new Installation();
const dir = mkdtempSync(join(tmpdir(), 'trust-'));
const lr = 'registry.lr.kestrelferries.example';
let c: Client;
const registry = async (name: string) => (await c.estate()).registries.find((r) => r.name === name);
const shown = async (name: string) => (await c.estate()).observed.registries[name];
const trust = (name: string) => c.good<TrustView>('GET', `/api/registries/${name}/trust`);
const anchors = (pem = '') => pem.match(/BEGIN CERTIFICATE/g)?.length ?? 0;
const give = (name: string, body: object = {}) => c.call<CertificateMade>('POST', `/api/registries/${name}/certificate`, body);
/** What the check would tell of a registry's end, as of now. */
const told = async (name: string) =>
  makeChecker(catalogue.filter((x) => x.code === 'IMG-002'))(await c.estate()).findings.find((h) => h.subject.name === name);
/** The record, newest first. */
const record = () =>
  i.running.ctx.db.manager.query('select who, act, subject, detail from audit order by id desc') as Promise<
    { who: string; act: string; subject: string; detail: { confirmed?: string[] } }[]
  >;
const openssl = (...args: string[]) => execFileSync('openssl', args, { cwd: dir, stdio: ['ignore', 'pipe', 'pipe'] }).toString();

beforeAll(async () => {
  await i.start({ settings: { looksAtOnce: false } });
  c = await i.as('warden');
  await eventually(
    async () => (await shown('lr-registry'))?.certificate && (await shown('bw-registry'))?.certificate,
    'certificates seen',
  );
});
afterAll(async () => {
  await i.stop();
  rmSync(dir, { recursive: true, force: true });
});

describe('an authority for a registry', () => {
  it('is asked for before anything is signed', async () => {
    expect((await give('lr-registry')).body.message).toBe('No authority has its key here that could sign for lr-registry.');
    expect((await trust('lr-registry')).authority).toBeUndefined();
  });
  it('is made, and trusted beside the old one; undone, it is not', async () => {
    const before = await registry('lr-registry');
    const made = await c.good<{ subject: string; act: number }>('POST', '/api/registries/lr-registry/authority');
    expect(made.subject).toBe('Lantern Rock images CA');
    expect(anchors((await registry('lr-registry'))?.ca)).toBe(2);
    expect((await registry('lr-registry'))?.ca).toContain(before?.ca?.trim());
    expect((await trust('lr-registry')).authority).toMatchObject({ origin: 'made', trusted: true });
    await c.good('POST', `/api/acts/${made.act}/undo`);
    expect((await registry('lr-registry'))?.ca).toBe(before?.ca);
    // Nobody would trust what it signs now.
    const r = await give('lr-registry');
    expect([r.status, r.body.message]).toEqual([422, expect.stringContaining('no anchor of the trust bundle signed it')]);
    expect(r.body.remedy).toBe('Put who signed it into the trust first.');
    // The one that is held goes back into the trust: it is not made anew.
    const held = await trust('lr-registry');
    expect(held.authority).toMatchObject({ subject: 'Lantern Rock images CA', trusted: false });
    await c.good('POST', '/api/registries/lr-registry/authority', { held: true });
    const again = await trust('lr-registry');
    expect(again.authority).toEqual({ ...held.authority, trusted: true });
    expect(anchors((await registry('lr-registry'))?.ca)).toBe(2);
    expect((await c.call('POST', '/api/registries/tst-registry/authority', { held: true })).body.message).toBe(
      'No authority has its key here for tst-registry.',
    );
  });
  it.each([
    ['letters', 'the certificate cannot be read'],
    ['leaf', 'it is not an authority'],
    ['stranger', 'the key belongs to another certificate'],
    ['ended', 'it ended on'],
    ['weak', 'its RSA key has 1024 bits'],
  ])('that is brought along as %s is refused', async (what, why) => {
    const ca = await makeCertificate({ commonName: 'Own CA', isCa: true });
    openssl(
      'req',
      '-x509',
      '-newkey',
      'rsa:1024',
      '-nodes',
      '-keyout',
      'weak.key',
      '-out',
      'weak.crt',
      '-subj',
      '/CN=Weak',
      '-days',
      '9',
    );
    const read = (f: string) => execFileSync('cat', [join(dir, f)]).toString();
    const pairs: Record<string, { cert: string; key: string }> = {
      letters: { cert: 'Dear warden', key: 'yours' },
      leaf: await makeCertificate({ commonName: lr, names: [lr], ca }),
      stranger: { cert: ca.cert, key: (await makeCertificate({ commonName: 'x', isCa: true })).key },
      ended: await makeCertificate({ commonName: 'Old CA', isCa: true, days: -0.5 }),
      weak: { cert: read('weak.crt'), key: read('weak.key') },
    };
    const r = await c.call('POST', '/api/registries/lr-registry/authority', { given: pairs[what] });
    expect([r.status, r.body.message]).toEqual([422, expect.stringContaining(why)]);
  });
  it('is the wardens’ to make, and nobody makes one for a source', async () => {
    const planner = await i.as('planner');
    expect((await planner.call('POST', '/api/registries/lr-registry/authority')).status).toBe(403);
    expect((await planner.call('POST', '/api/registries/lr-registry/certificate', {})).status).toBe(403);
    expect((await c.call('POST', '/api/registries/upstream/authority')).body.message).toContain('is a source');
  });
});

describe('a certificate', () => {
  it('is signed, handed over and shown; the finding that the old one ends is gone', async () => {
    expect((await told('lr-registry'))?.title).toMatch(/^Registry certificate ends in \d days$/);
    await c.good('POST', '/api/registries/lr-registry/authority');
    const made = await c.good<CertificateMade>('POST', '/api/registries/lr-registry/certificate', { days: 120 });
    const seen = await shown('lr-registry');
    expect(seen?.certificate).toMatchObject({
      fingerprint: made.fingerprint,
      issuer: 'Lantern Rock images CA',
      names: [lr, '10.62.8.9'],
      trusted: true,
    });
    expect(seen?.renews).toEqual({});
    expect(await told('lr-registry')).toBeUndefined();
    const view = await trust('lr-registry');
    // The first of ours signs no more, and goes by the same name: what signed is told apart by more than that.
    expect(view.anchors.map((a) => [a.subject, a.needed])).toEqual([
      ['Lantern Rock CA', false],
      ['Lantern Rock images CA', false],
      ['Lantern Rock images CA', true],
    ]);
    expect(anchors(view.tidied)).toBe(1);
  });
  it('of an authority that was brought along, RSA in PKCS#1, is one that openssl verifies', async () => {
    openssl(
      'req',
      '-x509',
      '-newkey',
      'rsa:2048',
      '-nodes',
      '-keyout',
      'own.key',
      '-out',
      'own.crt',
      '-subj',
      '/CN=Ferry Office CA',
      '-addext',
      'keyUsage=critical,keyCertSign,cRLSign',
      '-days',
      '700',
    );
    openssl('rsa', '-in', 'own.key', '-traditional', '-out', 'own.pkcs1');
    const read = (f: string) => execFileSync('cat', [join(dir, f)]).toString();
    expect(read('own.pkcs1')).toContain('BEGIN RSA PRIVATE KEY');
    await c.good('POST', '/api/registries/lr-registry/authority', { given: { cert: read('own.crt'), key: read('own.pkcs1') } });
    const made = await c.good<CertificateMade>('POST', '/api/registries/lr-registry/certificate', { days: 3000, files: true });
    writeFileSync(join(dir, 'server.crt'), made.files?.cert ?? '');
    expect(openssl('verify', '-x509_strict', '-CAfile', 'own.crt', '-verify_hostname', lr, 'server.crt')).toContain('OK');
    expect(openssl('x509', '-in', 'server.crt', '-noout', '-text')).toContain('sha256WithRSAEncryption');
    expect(new X509Certificate(made.files?.cert ?? '').checkPrivateKey(createPrivateKey(made.files?.key ?? ''))).toBe(true);
    // It does not outlive who signed it, and as files it changes nothing at the registry.
    expect(Date.parse(made.until)).toBeLessThan(Date.now() + 701 * 86_400_000);
    expect((await shown('lr-registry'))?.certificate?.issuer).toBe('Lantern Rock images CA');
  });
  it('made elsewhere is judged before it is handed over', async () => {
    const ca = await makeCertificate({ commonName: 'Elsewhere CA', isCa: true });
    const before = (await shown('lr-registry'))?.certificate?.fingerprint;
    const stranger = await makeCertificate({ commonName: lr, names: [lr], ca });
    for (const [given, why] of [
      [stranger, 'no anchor of the trust bundle signed it'],
      [{ ...stranger, key: ca.key }, 'the key belongs to another certificate'],
      [await makeCertificate({ commonName: 'x', names: ['depot.elsewhere.example'], ca }), 'it is for depot.elsewhere.example'],
    ] as const) {
      const r = await give('lr-registry', { given });
      expect([r.status, r.body.places?.some((p) => p.message.includes(why))]).toEqual([422, true]);
    }
    expect((await shown('lr-registry'))?.certificate?.fingerprint).toBe(before);
  });
  it('is not given while hosts that stand would refuse it, until somebody says by name that they trust it', async () => {
    await c.good('POST', '/api/registries/bw-registry/authority');
    expect((await trust('bw-registry')).clusters).toEqual([{ charter: 'tern', hosts: 9, has: undefined }]);
    const r = await give('bw-registry');
    expect([r.status, r.body.message]).toEqual([
      409,
      'Hosts of tern would refuse it: nothing says that they trust Breakwater Hall images CA.',
    ]);
    const laid = await give('bw-registry', { confirmed: ['tern'] });
    expect(laid.body.message).toBe('bw-registry takes no certificate over the network.');
    expect(laid.body.remedy).toContain('as files');
    const files = await give('bw-registry', { confirmed: ['tern'], files: true });
    expect([files.status, typeof files.body.files?.key]).toEqual([201, 'string']);
    const acts = await record();
    const put = acts.find((a) => a.act === 'made a registry certificate' && a.subject === 'bw-registry');
    expect(put?.detail.confirmed).toEqual(['tern']);
    expect(JSON.stringify(acts)).not.toContain('PRIVATE KEY');
  });
});

describe('renewal', () => {
  /** As if the certificate that is shown were near its end; the next look at the registry sees what is. */
  const nearEnd = () =>
    i.running.ctx.db.manager.query(
      "update observation set data = jsonb_set(jsonb_set(data, '{certificate,notBefore}', $2), '{certificate,notAfter}', $3) where kind = 'registry' and subject = $1",
      ['lr-registry', ...[-370, 12].map((d) => JSON.stringify(new Date(Date.now() + d * 86_400_000).toISOString()))],
    );
  beforeAll(async () => {
    await c.good('POST', '/api/registries/lr-registry/authority');
    await c.good('POST', '/api/registries/lr-registry/certificate', {});
  });
  it('happens by itself when it is due, for as long again, and not before', async () => {
    const first = (await shown('lr-registry'))?.certificate;
    await renewDue(i.running.ctx);
    expect((await shown('lr-registry'))?.certificate?.fingerprint).toBe(first?.fingerprint);
    await nearEnd();
    expect(await told('lr-registry')).toBeDefined();
    await renewDue(i.running.ctx);
    const next = await shown('lr-registry');
    expect(next?.certificate?.fingerprint).not.toBe(first?.fingerprint);
    expect(next?.certificate?.issuer).toBe(first?.issuer);
    const days = (Date.parse(next?.certificate?.notAfter ?? '') - Date.now()) / 86_400_000;
    expect(Math.round(days)).toBe(382);
    expect(await told('lr-registry')).toBeUndefined();
    expect((await record())[0]).toMatchObject({ act: 'gave a registry its certificate', who: 'praesidor' });
  });
  it('that fails is told with its reason, tried again an hour later, and forgotten when it went well', async () => {
    const key = { name: 'lr-registry', use: 'registry', user: 'keeper' };
    await c.good('POST', '/api/keyring', { ...key, secret: 'not-the-password' });
    await nearEnd();
    await renewDue(i.running.ctx);
    const failed = await shown('lr-registry');
    expect(failed?.renews?.error).toContain('credentials');
    expect((await told('lr-registry'))?.text).toMatch(/Renewing it was tried \d+ \w+ \d{4}: /);
    expect((await told('lr-registry'))?.text).toContain('credentials');
    await c.good('POST', '/api/keyring', { ...key, secret: 'lantern-demo-3' });
    await renewDue(i.running.ctx);
    expect((await shown('lr-registry'))?.renews?.tried).toBe(failed?.renews?.tried);
    await i.running.ctx.db.manager.query(
      "update observation set data = jsonb_set(data, '{renews,tried}', $1) where kind = 'registry' and subject = 'lr-registry'",
      [JSON.stringify(new Date(Date.now() - 3_700_000).toISOString())],
    );
    await renewDue(i.running.ctx);
    expect((await shown('lr-registry'))?.renews).toEqual({});
    expect(await told('lr-registry')).toBeUndefined();
  });
  it('what somebody else put there is left alone', async () => {
    const before = (await shown('lr-registry'))?.certificate?.fingerprint;
    await i.running.ctx.db.manager.query(
      "update cluster_secret set about = about || '{\"issued\": \"AA:BB\"}' where charter = 'registry lr-registry' and name = 'ca.crt'",
    );
    await c.good('POST', '/api/registries/lr-registry/look');
    expect((await shown('lr-registry'))?.renews).toBeUndefined();
    await nearEnd();
    await renewDue(i.running.ctx);
    expect((await shown('lr-registry'))?.certificate?.fingerprint).toBe(before);
  });
});

describe('an authority that signs elsewhere', () => {
  it('gets a request that OpenSSL verifies, and its answer makes a certificate with a key that never left', async () => {
    openssl(
      'req',
      '-x509',
      '-newkey',
      'rsa:2048',
      '-nodes',
      '-keyout',
      'else.key',
      '-out',
      'else.crt',
      '-days',
      '90',
      '-subj',
      '/CN=Harbour Authority',
      '-addext',
      'basicConstraints=critical,CA:TRUE',
    );
    const { request } = await c.good<{ request: string }>('POST', '/api/registries/ptl-registry/request');
    writeFileSync(join(dir, 'ptl.csr'), request);
    const said = openssl('req', '-in', 'ptl.csr', '-verify', '-noout', '-text');
    const host = (await registry('ptl-registry'))?.endpoint.split(':')[0] as string;
    expect(said).toContain(`CN = ${host}`);
    expect(said).toContain(`DNS:${host}`);
    expect((await trust('ptl-registry')).request).toMatchObject({ request, by: 'warden' });
    const sign = (csr: string, out: string) =>
      openssl(
        'x509',
        '-req',
        '-in',
        csr,
        '-CA',
        'else.crt',
        '-CAkey',
        'else.key',
        '-CAcreateserial',
        '-days',
        '60',
        '-copy_extensions',
        'copyall',
        '-out',
        out,
      );
    sign('ptl.csr', 'ptl.crt');
    const answer = readFileSync(join(dir, 'ptl.crt'), 'utf8');
    const authority = readFileSync(join(dir, 'else.crt'), 'utf8');
    // Who signed it must be trusted first, as with any other.
    expect((await give('ptl-registry', { answer, files: true })).body.message).toContain('cannot be used');
    const ca = (await registry('ptl-registry'))?.ca ?? '';
    await c.good('POST', '/api/edits', {
      why: 'trust it',
      edits: [{ op: 'set', kind: 'Registry', key: 'ptl-registry', path: ['ca'], value: `${ca.trim()}\n${authority}` }],
    });
    // Of another request, of nothing at all, and of somebody else's key: refused in words, and the request waits on.
    openssl('req', '-newkey', 'rsa:2048', '-nodes', '-keyout', 'other.key', '-out', 'other.csr', '-subj', '/CN=x');
    sign('other.csr', 'other.crt');
    expect((await give('ptl-registry', { answer: readFileSync(join(dir, 'other.crt'), 'utf8') })).body.message).toContain(
      'for the key of this request',
    );
    expect((await give('ptl-registry', { answer: 'hello' })).body.message).toContain('no certificate in it');
    // The chain in whatever order: the certificate comes first.
    const made = await c.good<{ files: { cert: string; key: string } }>('POST', '/api/registries/ptl-registry/certificate', {
      answer: `${authority}${answer}`,
      files: true,
      confirmed: (await trust('ptl-registry')).clusters.map((x) => x.charter),
    });
    expect(new X509Certificate(made.files.cert).checkPrivateKey(createPrivateKey(made.files.key))).toBe(true);
    expect(new X509Certificate(made.files.cert).subject).toContain(host);
    expect((await trust('ptl-registry')).request).toBeUndefined();
    expect((await give('ptl-registry', { answer })).body.message).toBe('No request of ptl-registry waits for an answer.');
    const planner = await i.as('planner');
    expect((await planner.call('POST', '/api/registries/ptl-registry/request')).status).toBe(403);
  });
});
