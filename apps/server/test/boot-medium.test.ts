import { createHash } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { check } from '@praesidor/core/checks';
import { unified } from '../../../packages/standins/src/firmware.ts';
import { dataOn, httpDrive, programOn } from '../../../packages/standins/src/media.ts';
import { buildOf, type Client, eventually, Installation, prepare } from './installation.ts';

const { signal } = new AbortController();
const digest = (b: Buffer) => `sha256:${createHash('sha256').update(b).digest('hex')}`;
const host = 'lr-02';

describe('a host that starts from virtual media', () => {
  const i = new Installation();
  let c: Client;
  const machine = () => i.world.machines.get(host);
  let uri = '';
  beforeAll(async () => {
    await i.start();
    c = await i.as('warden');
    await prepare(c);
    // Nobody gives addresses there: what is left is the medium.
    await c.good('POST', '/api/edits', {
      edits: [
        { op: 'set', kind: 'Network', key: 'lr-machine', path: ['dhcp'], value: [] },
        { op: 'set', kind: 'Host', key: host, path: ['bmc', 'boot'], value: 'media' },
      ],
      why: 'no DHCP in the room',
    });
    i.plant('node-never-boots', host);
  });
  afterAll(() => i.stop());

  it('is left out of what DHCP is asked for', async () => {
    const found = check(await c.estate()).findings.filter((f) => f.code === 'CHT-013' && f.subject.name === 'plover');
    expect(found.map((f) => f.title)).toEqual(['No DHCP scope in lr-machine, where 5 hosts boot']);
    expect(found[0]?.remedy?.edits?.map((e) => 'key' in e && e.key)).not.toContain(host);
  });

  it('is played a medium with its program and its first-boot data, and told to start from it until it need not', async () => {
    await c.good('POST', '/api/builds', { charter: 'plover' });
    uri = await eventually(async () => machine()?.media, 'its controller plays a medium');
    expect(uri).toMatch(/\/boot\/[\w-]+\/boot\.iso$/);
    await eventually(async () => machine()?.bootTarget === 'Cd' && machine()?.bootAlways, 'it starts from it');
    expect(machine()?.bootUri).toBeUndefined();
    const drive = await httpDrive(uri, signal);
    // What the mirror gives with another digest is not played.
    const bill = (await c.estate()).observed.bills['1.34.2'];
    const blobs = bill?.images.find((x) => x.on === 'boot')?.blobs ?? [];
    const path = i.world.stores.get('lr-registry')?.blobPath(blobs[1] as string) as string;
    const kept = readFileSync(path);
    const other = Buffer.from(kept);
    other[7] = (other[7] ?? 0) ^ 1;
    writeFileSync(path, other);
    await expect(programOn(drive)).rejects.toThrow();
    writeFileSync(path, kept);
    const { cmdline, linux, initrd } = unified(await programOn(drive));
    expect(cmdline).toBe(`ds=nocloud praesidor.files=${uri.replace('boot.iso', '')} ${cmdline.split(' ').at(-1)}`);
    expect(cmdline).toMatch(/systemd\.machine_id=[0-9a-f]{32}$/);
    expect(blobs).toEqual(expect.arrayContaining([digest(linux), digest(initrd)]));
    const data = await dataOn(drive);
    for (const name of ['user-data', 'meta-data', 'vendor-data', 'network-config'])
      expect(data?.[name]).toBe(await (await fetch(uri.replace('boot.iso', name))).text());
  });

  it('is given the same bytes in parts as in one', async () => {
    const r = await fetch(uri);
    const whole = Buffer.from(await r.arrayBuffer());
    expect([r.headers.get('content-length'), r.headers.get('accept-ranges')]).toEqual([String(whole.length), 'bytes']);
    expect(whole.length % 2048).toBe(0);
    const part = async (range: string, more: Record<string, string> = {}) => {
      const p = await fetch(uri, { headers: { range, ...more } });
      return [p.status, p.headers.get('content-range'), Buffer.from(await p.arrayBuffer())] as const;
    };
    // From the head into the program, and out of its end.
    for (const [from, to] of [
      [0, 2048],
      [30_000, 400_000],
      [whole.length - 5000, whole.length],
    ] as const) {
      const [status, range, bytes] = await part(`bytes=${from}-${to - 1}`);
      expect([status, range]).toEqual([206, `bytes ${from}-${to - 1}/${whole.length}`]);
      expect(bytes.equals(whole.subarray(from, to))).toBe(true);
    }
    expect((await part(`bytes=${whole.length}-`)).slice(0, 2)).toEqual([416, `bytes */${whole.length}`]);
    const tag = r.headers.get('etag') as string;
    expect((await part('bytes=0-1', { 'if-range': tag }))[0]).toBe(206);
    expect((await part('bytes=0-1', { 'if-range': '"another"' }))[0]).toBe(200);
    expect((await fetch(uri.replace(/boot\/[^/]+/, 'boot/wrong'), { method: 'HEAD' })).status).toBe(404);
  });

  it('boots by itself, lays out its disks, and is left to its own disk without the medium', async () => {
    i.lift('node-never-boots', host);
    machine()?.powerOff();
    machine()?.powerOn();
    await eventually(async () => (await buildOf(c)).status.steps[`${host}/system`]?.state === 'done', 'its first boot is done');
    expect([machine()?.media, machine()?.bootTarget]).toEqual([undefined, 'None']);
    const { lines } = await c.good<{ lines: { line: string }[] }>('GET', `/api/builds/plover/1/log?step=${host}/system`);
    const said = lines.map((l) => l.line);
    expect(said.filter((l) => l === 'its controller reads the boot medium')).toHaveLength(1);
    expect(said).toContain('fetches the program for its disk');
    expect(said.join('\n')).not.toContain('fetches its boot program');
    // The others started over HTTP, each as its document says.
    expect(i.world.machines.get('lr-04')?.media).toBeUndefined();
  });

  it('has no medium any more when its build has ended', async () => {
    await c.good('POST', '/api/builds/plover/1/stop', {});
    await eventually(async () => (await buildOf(c)).status.state === 'stopped', 'the build has ended');
    expect((await fetch(uri, { method: 'HEAD' })).status).toBe(404);
    expect((await fetch(uri, { headers: { range: 'bytes=0-1' } })).status).toBe(404);
  });
});
