import type { ChildProcess } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { buildOf, type Client, eventually, freePort, Installation, prepare } from '../apps/server/test/installation.ts';
import { answerFirmware, Machine, openRoom, room } from './machine.ts';

/**
 * A whole machine: from firmware to all images pulled, with the system that `npm run system` makes of Debian's packages. Its
 * kubelet is a program that waits; what comes before it is real: cloud-init, networkd, resolved, chrony, containerd.
 */
const parts = process.env.PRAESIDOR_REAL ?? '';
const dir = mkdtempSync(join(tmpdir(), 'system-'));
const i = new Installation();
let c: Client;
let dhcp: ChildProcess | undefined;
let machine: Machine | undefined;
const host = 'lr-02';
const address = '10.62.8.32';

beforeAll(async () => {
  const layer = (title: string) => {
    const bytes = readFileSync(join(parts, 'system', title));
    return { key: title, paper: bytes.length, title, bytes };
  };
  const port = await freePort();
  await i.start({
    also: [{ image: 'images.upstream.example/core/system:1.34.2', layers: ['kernel', 'initrd', 'stub'].map(layer) }],
    settings: { host: '0.0.0.0', port, publicUrl: `http://${room.server}:${port}` },
    patience: 1800,
    before: openRoom,
  });
  c = await i.as('warden');
  await prepare(c);
});
afterAll(async () => {
  dhcp?.kill('SIGKILL');
  machine?.powerOff();
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

it('a machine boots, takes its address and its names, and pulls all its images through the mirror', async () => {
  i.plant('node-never-boots', host);
  await c.good('POST', '/api/builds', { charter: 'plover' });
  const uri = await eventually(async () => i.world.machines.get(host)?.bootUri, 'the controller is told what to boot', 60_000);
  dhcp = answerFirmware(dir, uri);
  machine = new Machine(join(dir, host), '52:8a:1c:40:02:01', 3072);
  const began = Date.now();
  const after = () => `${((Date.now() - began) / 1000).toFixed(0)} s`;
  machine.powerOn();
  await until('system', 600_000);
  process.stdout.write(`first boot done after ${after()}\n`);
  await until('images', 600_000);
  process.stdout.write(`all images pulled after ${after()}\n`);
  const log = (await i.world.stores.get('lr-registry')?.pulls()) ?? [];
  const own = log.filter((l) => l.client === address);
  process.stdout.write(`${own.length} pulls from ${address}, agent ${own[0]?.agent}\n`);
  expect(own.filter((l) => l.kind === 'manifest' && l.status === 200).length).toBeGreaterThan(10);
  expect(own.every((l) => [200, 206].includes(l.status))).toBe(true);
  expect(own[0]?.agent).toMatch(/containerd/);
  const said = await eventually(
    async () => /CHECK END/.test(machine?.said() ?? '') && machine?.said(),
    'the machine has checked itself',
    300_000,
  );
  const checks = [...said.matchAll(/CHECK (PASS|FAIL) (.*)/g)].map((x) => `${x[1]} ${x[2]}`);
  process.stdout.write(`${checks.join('\n')}\nafter ${after()}\n`);
  expect(checks.filter((x) => x.startsWith('FAIL'))).toEqual([]);
  expect(checks).toHaveLength(20);
});
