import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { type Browser, openBrowser } from '../e2e/lib/browser.ts';
import { buildOf, type Client, eventually, freePort, Installation, prepare } from '../apps/server/test/installation.ts';
import { putOn } from './put.ts';
import { checksFor, control, Machine, openRoom, room } from './machine.ts';

/**
 * A whole machine: from firmware to all images pulled, with the system that `npm run system` makes of Debian's packages. It starts
 * from virtual media, and nobody answers DHCP. Its
 * kubelet is a program that waits; what comes before it is real: cloud-init, networkd, resolved, chrony, containerd.
 */
const parts = process.env.PRAESIDOR_REAL ?? '';
const dir = mkdtempSync(join(tmpdir(), 'system-'));
const i = new Installation();
let c: Client;
let b: Browser | undefined;
let machine: Machine | undefined;
let release: (() => void) | undefined;
const host = 'lr-02';
const address = '10.62.8.32';

beforeAll(async () => {
  const layer = (title: string) => {
    const bytes = readFileSync(join(parts, 'system', title));
    return { key: title, declaredBytes: bytes.length, title, bytes };
  };
  const port = await freePort();
  await i.start({
    also: [{ image: 'images.upstream.example/core/system:1.34.2', layers: ['kernel', 'initrd', 'stub'].map(layer) }],
    settings: { host: '0.0.0.0', port, publicUrl: `http://${room.server}:${port}` },
    timeoutSeconds: 1800,
    before: openRoom,
  });
  c = await i.as('warden');
  await prepare(c);
  await c.good('POST', '/api/edits', {
    edits: [{ op: 'set', kind: 'Host', key: host, path: ['bmc', 'boot'], value: 'media' }],
    why: 'starts from virtual media',
  });
});
afterAll(async () => {
  release?.();
  machine?.powerOff();
  await b?.close();
  await i.stop();
  rmSync(dir, { recursive: true, force: true });
});

const steps = async () => (await buildOf(c)).status.steps;
/** Waits for a step of the host, and tells what stood on the console when it does not come to a good end. */
const until = (step: string, ms: number) =>
  eventually(
    async () => {
      const s = (await steps())[`${host}/${step}`];
      if (s?.state === 'failed') throw new Error(`${step}: ${s.text}\n${machine?.said().slice(-6000)}`);
      return s?.state === 'done' && s;
    },
    `${step} of ${host} is done`,
    ms,
  ).catch((e: Error) => {
    throw new Error(`${e.message}\n${machine?.said().slice(-6000)}`);
  });

/** What the machine said of itself at one of its starts, when it has come to the end of it. */
const order = ['FIRST', 'SECOND', 'PUT', 'THIRD'] as const;
const checked = async (start: (typeof order)[number], ms: number) => {
  await eventually(
    async () => machine?.said().includes(`CHECK ${start} END`),
    `the machine has checked itself: ${start}`,
    ms,
  ).catch((e: Error) => {
    throw new Error(`${e.message}\n${machine?.said().slice(-6000)}`);
  });
  const said = machine?.said() ?? '';
  const before = order[order.indexOf(start) - 1];
  const from = before ? said.indexOf(`CHECK ${before} END`) : 0;
  const checks = [...said.slice(from, said.indexOf(`CHECK ${start} END`)).matchAll(/CHECK (PASS|FAIL) (.*)/g)].map(
    (x) => `${x[1]} ${x[2]}`,
  );
  process.stdout.write(`${checks.join('\n')}\n`);
  return { passed: checks.filter((x) => x.startsWith('PASS')).length, failed: checks.filter((x) => x.startsWith('FAIL')) };
};
/** Over its controller, as somebody does it on the host's page. */
const power = async (to: 'cut' | 'on') => {
  await c.good('POST', '/api/hosts/works', { kind: 'power', hosts: [host], asked: { to } });
  await eventually(async () => machine?.running === (to === 'on'), `the machine's power: ${to}`, 60_000);
};
const pulls = async () => ((await i.world.stores.get('lr-registry')?.pulls()) ?? []).filter((l) => l.client === address);
const began = Date.now();
const note = (what: string) => process.stdout.write(`${((Date.now() - began) / 1000).toFixed(0)} s: ${what}\n`);

it('a machine boots, lays out its disks, and begins to pull its images through the mirror', async () => {
  // The emulated machine takes the place of one stand-in; the others stay off, so that it has the processors for itself.
  for (const h of ['lr-02', 'lr-04', 'lr-05', 'lr-06', 'lr-07', 'lr-08']) i.plant('node-never-boots', h);
  b = await openBrowser();
  const at = `http://127.0.0.1:${new URL(i.config.publicUrl).port}`;
  await b.open(`${at}/sign-in`);
  await b.driver.manage().addCookie({ name: 'praesidor', value: c.cookie.split('=')[1] as string, path: '/' });
  await b.open(`${at}/clusters/plover?site=lr`);
  await b.click('button', 'Build');
  await b.find("//h1[starts-with(., 'Build ')]");
  machine = new Machine(join(dir, host), {
    mac: '52:8a:1c:40:02:01',
    memoryMiB: 3072,
    // As its controller says of them.
    drives: [
      { serial: 'HW70002L-D1', sizeGB: 480 },
      { serial: 'HW70002L-D2', sizeGB: 1920 },
    ],
    medium: () => i.world.machines.get(host)?.media,
    checks: checksFor('metal.sh', {
      nic: 'eno1',
      address: `${address}/25`,
      resolver: '10.62.8.53',
      domain: 'lr.kestrelferries.example',
      registry: 'registry.lr.kestrelferries.example',
    }),
  });
  release = control(machine, () => i.world.machines.get(host));
  await until('power', 120_000);
  note('power on');
  await until('system', 1_400_000);
  note('first boot done');
  // From here on it is left to its own order of what it starts from.
  expect([i.world.machines.get(host)?.bootTarget, i.world.machines.get(host)?.media]).toEqual(['None', undefined]);
  expect(await checked('FIRST', 400_000)).toEqual({ passed: 11, failed: [] });
});

it('loses its power while it pulls, starts from its disk, and goes on where it stood', async () => {
  await eventually(
    async () => (await pulls()).filter((l) => l.kind === 'manifest').length > 15,
    'some images to be here',
    800_000,
  );
  const before = await pulls();
  await power('cut');
  note(`power cut after ${before.length} requests`);
  await power('on');
  await until('images', 1_400_000);
  note('all images are here');
  const all = await pulls();
  expect(all.every((l) => [200, 206].includes(l.status))).toBe(true);
  expect(all[0]?.agent).toMatch(/containerd/);
  // What it held was not fetched again: layers of the image that was on its way, and no more.
  const blobs = (log: typeof all) => log.filter((l) => l.kind === 'blob').map((l) => l.digest);
  const twice = blobs(all.slice(before.length)).filter((d) => blobs(before).includes(d));
  note(`${all.length} requests from ${address}, ${twice.length} blobs asked for twice`);
  const { images } = (await c.estate()).observed.bills['1.34.2'] ?? { images: [] };
  expect(twice.length).toBeLessThanOrEqual(Math.max(...images.map((image) => image.blobs.length)));
  expect(await checked('SECOND', 800_000)).toEqual({ passed: 21, failed: [] });
});

it('takes files of a later change while it runs, from the server alone, also for where it starts from', async () => {
  const { code, said } = await putOn(i, 'plover', host);
  expect(code, said).toBe(0);
  for (const line of [
    'put where the host starts from',
    'put /etc/praesidor/probe',
    'started anew: kubelet',
    'started anew: etcd',
  ])
    expect(said).toContain(line);
  expect(await checked('PUT', 400_000)).toEqual({ passed: 2, failed: [] });
  note('files were put there');
});

it('starts again, and is what it was, without anybody to ask', async () => {
  const before = (await pulls()).length;
  expect(await checked('THIRD', 1_000_000)).toEqual({ passed: 11, failed: [] });
  note('and is what it was');
  expect((await pulls()).length).toBe(before);
});
