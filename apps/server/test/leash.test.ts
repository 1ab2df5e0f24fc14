import { createServer, type Server } from 'node:https';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { makeCertificate } from '../../../packages/standins/src/certificates.ts';
import { type Client, Installation } from './installation.ts';

/** Credentials go only where the keyring says, and connections only where the plan says, whoever declared what. */
const i = new Installation();
let warden: Client;
let builder: Client;
let planner: Client;
let listener: Server;
const port = 9443;
let ca = '';
/** What somebody hostile was sent, by header. */
const heard: string[] = [];

beforeAll(async () => {
  // Looks by the server itself, on what it hears of, would be heard among those that are asked for here.
  await i.start({ settings: { looksAtOnce: false } });
  [warden, builder, planner] = [await i.as('warden'), await i.as('builder'), await i.as('planner')];
  const authority = await makeCertificate({ commonName: 'elsewhere', isCa: true });
  const pair = await makeCertificate({ commonName: '10.40.66.6', addresses: ['10.40.66.6'], ca: authority });
  ca = authority.cert;
  listener = createServer({ key: pair.key, cert: pair.cert }, (req, res) => {
    heard.push(req.headers.authorization ?? 'nothing');
    res.writeHead(401, { 'www-authenticate': 'Basic realm="x"' }).end();
  });
  const shift = i.config.addressMap[0]?.portShift ?? 0;
  await new Promise<void>((done) => listener.listen(port + shift, '127.40.66.6', done));
});
afterAll(async () => {
  await new Promise((done) => listener?.close(done));
  await i.stop();
});

const registry = (more: object) => ({
  kind: 'Registry',
  name: 'evil',
  site: 'bw',
  role: 'standing',
  endpoint: `10.40.66.6:${port}`,
  ca,
  ...more,
});
const put = (c: Client, doc: object) => c.call('POST', '/api/edits', { why: 'x', edits: [{ op: 'put', doc }] });

describe('a credential', () => {
  const entries = [
    'bmc-lr',
    'bmc-bw',
    'bmc-ships',
    'hv-bw',
    'lr-dns',
    'bw-dns',
    'bw-registry',
    'lr-registry',
    'ptl-registry',
    'dnl-registry',
    'tst-registry',
  ];
  it.each(entries)('%s cannot be named by a planner for a registry of her own', async (credential) => {
    const a = await put(planner, registry({ credential }));
    expect([a.status, a.body.message]).toEqual([
      403,
      expect.stringMatching(credential.includes('registry') ? /may not be sent to 10\.40\.66\.6/ : /is for use/),
    ]);
  });
  it.each(entries)('%s is not sent there either when a warden has declared it so', async (credential) => {
    expect((await put(warden, registry({ credential }))).status).toBe(200);
    const a = await builder.good<{ seen: { error?: string } }>('POST', '/api/registries/evil/look');
    expect(a.seen.error).toMatch(/may not be sent to 10\.40\.66\.6|is for use \w+, not for registry/);
    expect(heard).toEqual([]);
  });
  it('is a finding where a document says otherwise than the keyring', async () => {
    const { check } = await import('@praesidor/core/checks');
    const found = check(await warden.estate()).findings.filter((f) => f.code === 'KEY-003');
    expect(found.map((f) => f.subject.name)).toEqual(['evil']);
  });
  it('goes there when a warden has added the place, and no longer when it was taken away', async () => {
    await put(warden, registry({ credential: 'bw-registry' }));
    await warden.good('PUT', '/api/keyring/bw-registry/places', { places: ['Registry bw-registry', '10.40.66.6'] });
    await builder.good('POST', '/api/registries/evil/look');
    expect(heard.some((h) => Buffer.from(h.slice(6), 'base64').toString() === 'keeper:breakwater-demo-3')).toBe(true);
    heard.length = 0;
    await warden.good('PUT', '/api/keyring/bw-registry/places', { places: ['Registry bw-registry'] });
    await builder.good('POST', '/api/registries/evil/look');
    expect(heard).toEqual([]);
  });
  it('does not follow a document that is pointed elsewhere: that takes a builder', async () => {
    for (const [path, value] of [
      ['endpoint', `10.40.66.6:${port}`],
      ['ca', ca],
      ['credential', 'lr-registry'],
    ] as const)
      expect(
        (
          await planner.call('POST', '/api/edits', {
            why: 'x',
            edits: [{ op: 'set', kind: 'Registry', key: 'bw-registry', path: [path], value }],
          })
        ).status,
      ).toBe(403);
    expect(
      (await planner.call('POST', '/api/edits', { why: 'x', edits: [{ op: 'drop', kind: 'Registry', key: 'tst-registry' }] }))
        .status,
    ).toBeGreaterThanOrEqual(403);
    expect(
      (
        await planner.call('POST', '/api/edits', {
          why: 'x',
          edits: [{ op: 'set', kind: 'Hypervisor', key: 'bw-hv1', path: ['endpoint'], value: `10.40.66.6:${port}` }],
        })
      ).status,
    ).toBe(403);
  });
  it('is not written into a boot kit for a mirror that it may not be sent to', async () => {
    await warden.good('PUT', '/api/keyring/bw-registry/places', { places: [] });
    const a = await builder.call('GET', '/api/charters/tern/kit.tar.gz');
    expect([a.status, a.body.message]).toEqual([
      409,
      expect.stringContaining('bw-registry may not be sent to registry.bw.kestrelferries.example'),
    ]);
    await warden.good('PUT', '/api/keyring/bw-registry/places', { places: ['Registry bw-registry'] });
  });
  it('in use is not removed from the keyring, and what uses it is named', async () => {
    const a = await warden.call<{ uses: { by: string }[] }>('DELETE', '/api/keyring/lr-registry');
    expect([a.status, a.body.code, a.body.uses.map((u) => u.by)]).toEqual([409, 'in-use', ['Registry lr-registry']]);
  });
  it('keeps its places when its secret is changed', async () => {
    await warden.good('POST', '/api/keyring', { name: 'tst-registry', use: 'registry', user: 'keeper', secret: 'ships-demo-3' });
    const { entries: all } = await warden.good<{ entries: { name: string; places: string[] }[] }>('GET', '/api/keyring');
    expect(all.find((e) => e.name === 'tst-registry')?.places).toEqual(['Registry tst-registry']);
    const bad = await warden.call('PUT', '/api/keyring/tst-registry/places', { places: ['../x y'] });
    expect([bad.status, bad.body.message]).toEqual([422, expect.stringContaining('neither a document')]);
  });
});

describe('a sweep', () => {
  it.each([
    '127.0.0.1',
    '127.0.0.0/24',
    '169.254.169.254',
    '::1',
    '10.40.0.0/24',
    '10.40.6.200-10.40.7.5',
    '10.62.7.0/26',
    '192.168.0.0/24',
  ])('of %s at Breakwater Hall is refused', async (range) => {
    const a = await builder.call('POST', '/api/hosts/sweep', { site: 'bw', range });
    expect([a.status, a.body.message]).toEqual([422, expect.stringContaining('does not lie in a management network of bw')]);
    expect(a.body.remedy).toContain('10.40.7.0/25');
  });
  it('takes a builder', async () => {
    expect((await planner.call('POST', '/api/hosts/sweep', { site: 'bw', range: '10.40.7.0/25' })).status).toBe(403);
  });
});

describe('a connection', () => {
  const look = async (endpoint: string) => {
    await put(warden, registry({ endpoint, credential: undefined }));
    return (await builder.good<{ seen: { error?: string } }>('POST', '/api/registries/evil/look')).seen.error;
  };
  it.each([
    ['127.0.0.1:5432', 'loopback'],
    ['[::1]:8080', 'loopback'],
    ['169.254.169.254:80', 'link-local'],
    ['[fe80::1]:443', 'link-local'],
    ['0.0.0.0:443', 'no address of one machine'],
  ])('to %s is refused before anything is sent', async (endpoint, what) => {
    expect(await look(endpoint)).toContain(`is ${what}; nothing is connected to there`);
  });
  it('to the database of this installation is refused, also under an address that is allowed otherwise', async () => {
    const u = new URL(i.config.databaseUrl);
    expect(await look(`${u.hostname}:${u.port}`)).toMatch(/loopback|is the database of this installation/);
    const { policyOf } = await import('../src/outside.ts');
    const open = policyOf({ ...i.config, alsoReach: [{ v: 4, first: 0n, last: 0xffffffffn }] }, i.running.ctx.db);
    expect(
      await open({ purpose: 'registry', host: u.hostname, address: u.hostname, port: Number(u.port), mapped: false }),
    ).toContain('is the database of this installation');
  });
  it('goes only to what is declared for its purpose', async () => {
    const { policyOf } = await import('../src/outside.ts');
    const policy = policyOf(i.config, i.running.ctx.db);
    const to = (purpose: 'controller' | 'registry' | 'resolver' | 'zone' | 'hypervisor' | 'cluster', host: string) =>
      policy({ purpose, host, address: /^[\d.]+$/.test(host) ? host : '10.40.0.9', port: 443, mapped: true });
    expect(await to('controller', '10.62.7.12')).toBeUndefined();
    expect(await to('controller', '10.62.8.12')).toContain('no declared management network');
    expect(await to('registry', 'registry.lr.kestrelferries.example')).toBeUndefined();
    expect(await to('registry', 'bw-hv1.bw.kestrelferries.example')).toContain('no declared registry');
    expect(await to('hypervisor', 'bw-hv1.bw.kestrelferries.example')).toBeUndefined();
    expect(await to('resolver', '10.40.0.53')).toBeUndefined();
    expect(await to('resolver', '10.62.7.12')).toContain('no declared resolver');
    expect(await to('zone', '10.62.8.53')).toBeUndefined();
    expect(await to('cluster', '10.62.8.53')).toContain('it is no address of a cluster');
  });
});
