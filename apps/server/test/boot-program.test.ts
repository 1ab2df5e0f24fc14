import { createHash } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { httpBoot, unified } from '../../../packages/standins/src/firmware.ts';
import { builtOrBroken, type Client, eventually, Installation, prepare } from './installation.ts';

const image = 'images.upstream.example/core/system:1.34.2';
const layer = (title: string) => ({ key: `${title} here`, declaredBytes: 4e6, title });
/** A list of contents, as `npm run system` writes it. */
const told = {
  ...layer('contents'),
  bytes: Buffer.from(JSON.stringify({ packages: [{ name: 'cloud-init', version: '20.4.1-2' }], added: [] })),
};
const digest = (b: Buffer) => `sha256:${createHash('sha256').update(b).digest('hex')}`;
const { signal } = new AbortController();

describe('the program that firmware is told to boot', () => {
  const i = new Installation();
  let c: Client;
  let uri = '';
  beforeAll(async () => {
    // Whoever asks says as whom: as a proxy in front does.
    await i.start({ settings: { trustProxy: ['127.0.0.1'] } });
    c = await i.as('warden');
    await prepare(c);
    await c.good('POST', '/api/edits', {
      edits: [{ op: 'set', kind: 'Host', key: 'lr-04', path: ['bmc', 'boot'], value: 'pxe' }],
      why: 'starts by PXE',
    });
    for (const host of ['lr-02', 'lr-04']) i.plant('node-never-boots', host);
    await c.good('POST', '/api/builds', { charter: 'plover' });
    uri = await eventually(async () => i.world.machines.get('lr-02')?.bootUri, 'the controller is told what to boot');
  });
  afterAll(() => i.stop());

  it('is asked for its length, and is made of the stub, kernel and initial file system of the release', async () => {
    expect(new URL(uri).pathname).toMatch(/^\/boot\/[\w-]+\/boot\.efi$/);
    const program = await httpBoot(uri, signal);
    const { cmdline, linux, initrd } = unified(program);
    expect(cmdline).toMatch(/^\S+ systemd\.machine_id=[0-9a-f]{32}$/);
    expect(cmdline.split(' ')[0]).toBe(`ds=nocloud-net;s=${uri.replace('boot.efi', '')}`);
    const bill = (await c.estate()).observed.bills['1.34.2'];
    const blobs = bill?.images.find((x) => x.on === 'boot')?.blobs;
    expect(blobs).toEqual(expect.arrayContaining([digest(linux), digest(initrd)]));
  });

  it('is another one for its disk, fetched again only when it is another', async () => {
    const at = uri.replace('boot.efi', 'disk.efi');
    const disk = unified(await httpBoot(at, signal));
    const network = unified(await httpBoot(uri, signal));
    expect(disk.cmdline.split(' ')[0]).toBe('ds=nocloud');
    expect(disk.cmdline.split(' ')[1]).toBe(network.cmdline.split(' ')[1]);
    expect(disk.initrd.equals(network.initrd)).toBe(true);
    const first = await fetch(at);
    const tag = first.headers.get('etag') as string;
    await first.body?.cancel();
    const ask = async (url: string, etag: string) => {
      const r = await fetch(url, { headers: { 'if-none-match': etag } });
      return [r.status, (await r.arrayBuffer()).byteLength];
    };
    expect(await ask(at, tag)).toEqual([304, 0]);
    expect((await ask(at, '"another"'))[0]).toBe(200);
    expect((await ask(uri, tag))[0]).toBe(200);
  });

  it('ends early, so that firmware refuses it, when the mirror gives other bytes than the digest has', async () => {
    const program = await httpBoot(uri, signal);
    const { linux } = unified(program);
    const path = i.world.stores.get('lr-registry')?.blobPath(digest(linux)) as string;
    const rotten = Buffer.from(linux);
    rotten[7] = (rotten[7] ?? 0) ^ 1;
    writeFileSync(path, rotten);
    await expect(httpBoot(uri, signal)).rejects.toThrow();
    writeFileSync(path, linux);
    expect((await httpBoot(uri, signal)).equals(program)).toBe(true);
  });

  it('is found by PXE: by the adapter of a host that starts so, from a network that it may start in, while the build waits for it', async () => {
    await eventually(async () => i.world.machines.get('lr-04')?.bootTarget === 'Pxe', 'its controller is told');
    expect(i.world.machines.get('lr-04')?.bootUri).toBeUndefined();
    const ask = async (mac: string, from: string) =>
      (await fetch(`${i.config.publicUrl}/boot/pxe/${mac}`, { headers: { 'x-forwarded-for': from } })).text();
    const mac = '52:8a:1c:40:04:01';
    const script = /^#!ipxe\nchain (\S+\/boot\.ipxe)\n$/.exec(await ask(mac, '10.62.8.101'))?.[1] ?? '';
    expect(await (await fetch(script)).text()).toMatch(/^#!ipxe\n# lr-04, /);
    expect(await ask(mac.toUpperCase(), '::ffff:10.62.8.101')).toContain('chain ');
    // From elsewhere, as another adapter, as a host that starts otherwise, as nonsense.
    for (const [m, from] of [
      [mac, '10.62.9.101'],
      [mac, 'fd00:62:8::5'],
      ['52:8a:1c:40:0f:01', '10.62.8.101'],
      ['52:8a:1c:40:02:01', '10.62.8.101'],
      ['..%2f', '10.62.8.101'],
    ] as const)
      expect(await ask(m, from)).toBe(`#!ipxe\necho no build waits for a host with \${net0/mac}\nexit\n`);
    // Whoever tries one adapter after the other is stopped soon; others are not.
    const tried = await Promise.all(
      Array.from({ length: 70 }, () =>
        fetch(`${i.config.publicUrl}/boot/pxe/02:00:00:00:00:01`, { headers: { 'x-forwarded-for': '10.62.8.102' } }),
      ),
    );
    expect(tried.map((r) => r.status).sort((a, b) => a - b)).toEqual([...Array(60).fill(200), ...Array(10).fill(429)]);
    expect(await ask(mac, '10.62.8.101')).toContain('chain ');
    const { lines } = await c.good<{ lines: { line: string }[] }>('GET', '/api/builds/plover/1/log?step=preflight');
    expect(lines.map((l) => l.line).filter((l) => l.startsWith('PXE: '))).toEqual([
      expect.stringContaining('whoever shows the address of an adapter of lr-04 in lr-machine is given their kit'),
      expect.stringContaining('PRAESIDOR_TFTP_PORT is not set'),
    ]);
    const kea = await (
      await fetch(`${i.config.publicUrl}/api/addresses/files/kea-dhcp4.json?site=lr`, { headers: { cookie: c.cookie } })
    ).text();
    // The server of this suite is at an address of IPv4: it is named as the one that has the first program.
    expect(JSON.parse(kea).Dhcp4['client-classes'].map((x: { 'boot-file-name': string }) => x['boot-file-name'])).toEqual([
      `${i.config.publicUrl}/boot/pxe/\${net0/mac}`,
      'ipxe.efi',
    ]);
  });

  it('is given to whoever has the address, and to nobody else', async () => {
    expect((await fetch(uri.replace(/boot\/[^/]+/, 'boot/wrong'), { method: 'HEAD' })).status).toBe(404);
    expect((await fetch(uri.replace(/boot\/[^/]+/, 'boot/wrong'))).status).toBe(404);
  });

  it('leads to first-boot data whose reports are taken as cloud-init sends them: JSON without a content type', async () => {
    const user = await (await fetch(uri.replace('boot.efi', 'vendor-data'))).text();
    const endpoint = /endpoint: (\S+)/.exec(user)?.[1] as string;
    const event = {
      name: 'modules-config',
      event_type: 'finish',
      result: 'FAIL',
      description: 'config-ntp failed',
      timestamp: 1.5,
    };
    const send = (body: string, type?: string) =>
      fetch(endpoint, { method: 'POST', body: Buffer.from(body), ...(type ? { headers: { 'content-type': type } } : {}) });
    expect((await send(JSON.stringify(event))).status).toBe(200);
    expect((await send(JSON.stringify(event), 'text/plain')).status).toBe(200);
    expect((await send(JSON.stringify(event), 'application/json')).status).toBe(200);
    expect((await send('no report')).status).toBe(422);
    expect((await send('')).status).toBe(422);
    // What did not go well stands in the log of the step.
    await eventually(async () => {
      const { lines } = await c.good<{ lines: { line: string }[] }>('GET', '/api/builds/plover/1/log?step=lr-02/system');
      return lines.some((l) => l.line === 'modules-config: config-ntp failed');
    }, 'the report stands in the log');
  });
});

describe('a release without a stub, whose system lacks what a node needs', () => {
  const i = new Installation();
  let c: Client;
  beforeAll(async () => {
    await i.start({ also: [{ image, layers: [layer('kernel'), layer('initrd'), told] }] });
    c = await i.as('warden');
    await prepare(c);
  });
  afterAll(() => i.stop());

  it('is not built on metal: that is said before anything is touched', async () => {
    await c.good('POST', '/api/builds', { charter: 'plover' });
    const b = await builtOrBroken(c);
    expect(b.status.steps.preflight?.state).toBe('failed');
    expect(b.status.steps.preflight?.text).toContain('The boot image system of release 1.34.2 has no layer titled stub.');
    expect(b.status.steps.preflight?.text).toMatch(
      /kit asks: system of release 1\.34\.2 has no kernel \(from Debian\), for everything; cloud-init 20\.4\.1-2, where 22\.4 or later is asked; .*no kubelet/,
    );
    expect([...i.world.machines.values()].every((m) => m.bootUri === undefined)).toBe(true);
  });
});
