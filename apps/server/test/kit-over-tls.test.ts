import { createHash } from 'node:crypto';
import { request } from 'node:http';
import { createServer, type Server } from 'node:https';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { systemNeeds } from '@praesidor/core/files';
import { makeCertificate } from '@praesidor/standins';
import { httpBoot, smallStub } from '../../../packages/standins/src/firmware.ts';
import { lacksAuthority } from '../src/areas/builds/authority.ts';
import { readConfig } from '../src/config.ts';
import { buildOf, type Client, eventually, freePort, Installation, prepare } from './installation.ts';

const { signal } = new AbortController();

/** TLS in front of the server, as an operator sets it up; whoever reads along sees nothing of the kit. */
describe('a kit that travels over TLS', () => {
  const i = new Installation();
  let c: Client;
  let front: Server;
  let ca: { cert: string; key: string };
  const shown = async (address: string, by: { cert: string; key: string }) => {
    const pair = await makeCertificate({ commonName: 'praesidor', addresses: [address], ca: by });
    return { key: pair.key, cert: `${pair.cert}${by.cert}` };
  };
  beforeAll(async () => {
    ca = await makeCertificate({ commonName: 'authority of the kit', isCa: true });
    const [port, tls] = [await freePort(), await freePort()];
    front = createServer(await shown('127.0.0.1', ca), (req, res) => {
      const to = request({ port, host: '127.0.0.1', method: req.method, path: req.url, headers: req.headers }, (r) => {
        res.writeHead(r.statusCode ?? 502, r.headers);
        r.pipe(res);
      });
      to.on('error', () => res.destroy());
      res.on('close', () => to.destroy());
      req.pipe(to);
    });
    await new Promise<void>((done) => {
      front.listen(tls, '127.0.0.1', done);
    });
    const sha256 = createHash('sha256').update(ca.cert).digest('hex');
    const contents = {
      packages: systemNeeds.map((n) => ({ name: n.packages[0] ?? '', version: `${n.atLeast ?? '1'}.9` })),
      added: [
        { path: '/usr/bin/kubelet', sha256: '0'.repeat(64) },
        { path: '/usr/local/share/ca-certificates/kit.crt', sha256 },
      ],
    };
    const layer = (title: string, bytes: Buffer) => ({ key: title, declaredBytes: bytes.length, title, bytes });
    await i.start({
      settings: { port, publicUrl: `https://127.0.0.1:${tls}`, urlAuthority: ca.cert },
      also: [
        {
          image: 'images.upstream.example/core/system:1.34.2',
          layers: [
            layer('kernel', Buffer.from('kernel')),
            layer('initrd', Buffer.from(`etc/ssl/certs/ca-certificates.crt\n${ca.cert}`)),
            layer('stub', smallStub()),
            layer('contents', Buffer.from(JSON.stringify(contents))),
          ],
        },
      ],
    });
    c = await i.as('warden');
    await prepare(c);
    // One that stays where it is: what it was told to start can be asked for.
    i.plant('node-never-boots', 'lr-07');
    const boot = (key: string, value: string) => ({ op: 'set', kind: 'Host', key, path: ['bmc', 'boot'], value });
    await c.good('POST', '/api/edits', { edits: [boot('lr-02', 'media'), boot('lr-04', 'pxe')], why: 'ways to start' });
  });
  afterAll(async () => {
    front.closeAllConnections();
    front.close();
    await i.stop();
  });
  const preflight = () =>
    eventually(async () => {
      const s = (await buildOf(c)).status.steps.preflight;
      return (s?.state === 'failed' || s?.state === 'done') && s;
    }, 'everything is measured');
  const said = async (step: string) =>
    (await c.good<{ lines: { line: string }[] }>('GET', `/api/builds/plover/1/log?step=${step}`)).lines.map((l) => l.line);

  it('is not begun while the server shows a certificate of somebody else, or a host starts by what checks none', async () => {
    const other = await makeCertificate({ commonName: 'somebody else', isCa: true });
    front.setSecureContext(await shown('127.0.0.1', other));
    await c.good('POST', '/api/builds', { charter: 'plover' });
    expect((await preflight()).state).toBe('failed');
    const lines = await said('preflight');
    expect(lines.find((l) => l.startsWith('Kit at https:'))).toMatch(/certificate/);
    expect(JSON.stringify((await buildOf(c)).status.steps.preflight)).toContain('lr-04 starts by PXE');
    expect([...i.world.machines.values()].filter((m) => m.trusted.boot.length + m.trusted.media.length)).toEqual([]);
  });

  it('is checked by firmware, by the controller that plays a medium, and by the system, up to its first boot', async () => {
    front.setSecureContext(await shown('127.0.0.1', ca));
    await c.good('POST', '/api/edits', {
      edits: [{ op: 'set', kind: 'Host', key: 'lr-04', path: ['bmc', 'boot'], value: 'http' }],
      why: 'over TLS',
    });
    await c.good('POST', '/api/builds/plover/1/resume');
    await eventually(async () => {
      const { steps } = (await buildOf(c)).status;
      return ['lr-02', 'lr-04'].every((h) => steps[`${h}/system`]?.state === 'done');
    }, 'two hosts have started');
    expect((await said('preflight')).find((l) => l.includes('travels over TLS'))).toContain('CN=authority of the kit');
    const of = (host: string) => i.world.machines.get(host)?.trusted;
    expect(of('lr-02')).toEqual({ boot: [], media: [ca.cert], verify: true });
    expect(of('lr-04')).toEqual({ boot: [ca.cert], media: [], verify: false });
    expect((await said('lr-04/power')).join()).toContain('its firmware checks this server');
  });

  it('is not loaded from who shows another certificate', async () => {
    const uri = await eventually(async () => i.world.machines.get('lr-07')?.bootUri, 'lr-07 is told what to start');
    await httpBoot(uri, signal, [ca.cert]);
    await expect(httpBoot(uri, signal)).rejects.toThrow(/certificate/);
  });
});

describe('the authority of the kit', () => {
  it('is looked for among what was added to a system, by its bytes', () => {
    const sha256 = createHash('sha256').update('PEM').digest('hex');
    const at = (path: string, of = sha256) => lacksAuthority({ packages: [], added: [{ path, sha256: of }] }, 'PEM');
    expect(at('/usr/local/share/ca-certificates/site.crt')).toBeUndefined();
    for (const lack of [
      at('/usr/local/share/ca-certificates/site.pem'),
      at('/etc/site.crt'),
      at('/usr/local/share/ca-certificates/site.crt', '0'.repeat(64)),
    ])
      expect(lack).toMatch(/^no authority for this server among its own: --add /);
    expect(lacksAuthority({ packages: [], added: [] }, undefined)).toBeUndefined();
  });
  it('is read from its file at the start, and refused there when it is none', () => {
    const env = { DATABASE_URL: 'x', PRAESIDOR_KEY: '0'.repeat(64), PRAESIDOR_URL_CA: new URL(import.meta.url).pathname };
    expect(() => readConfig(env)).toThrow(/^PRAESIDOR_URL_CA must be a file with a certificate in PEM: /);
  });
});
