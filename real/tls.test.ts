import type { ChildProcess } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, expect, it } from 'vitest';
import { systemNeeds } from '@praesidor/core/files';
import { type Client, eventually, freePort, Installation, prepare } from '../apps/server/test/installation.ts';
import { certificate, Front } from './front.ts';
import { answerFirmware, Machine, openRoom, room } from './machine.ts';
import { smallSystem, told } from './small-system.ts';

/** UEFI firmware (Debian's ovmf) loads its program over TLS, by the authority that the product gave to its controller, and by no other. */
const dir = mkdtempSync(join(tmpdir(), 'tls-'));
const i = new Installation();
let c: Client;
let front: Front;
let shift = 0;
let dhcp: ChildProcess | undefined;
let machine: Machine | undefined;
const host = 'lr-02';

beforeAll(async () => {
  const ca = certificate(dir, 'authority');
  const pair = certificate(dir, 'server', ca, room.server);
  const port = await freePort();
  // Ports above are moved by up to 50,000.
  const tls = 8443;
  front = new Front(room, port, pair, ca);
  const sha256 = createHash('sha256').update(ca.cert).digest('hex');
  const contents = Buffer.from(
    JSON.stringify({
      packages: systemNeeds.map((n) => ({ name: n.packages[0], version: `${n.atLeast ?? '1'}.9` })),
      added: [
        { path: '/usr/bin/kubelet', sha256: '0'.repeat(64) },
        { path: '/usr/local/share/ca-certificates/kit.crt', sha256 },
      ],
    }),
  );
  await i.start({
    also: [
      {
        image: 'images.upstream.example/core/system:1.34.2',
        layers: [...smallSystem(dir), { key: 'contents', declaredBytes: contents.length, title: 'contents', bytes: contents }],
      },
    ],
    settings: { port, publicUrl: `https://${room.server}:${tls}`, urlAuthority: ca.cert },
    timeoutSeconds: 1800,
    before: (to) => {
      shift = to;
      openRoom(to);
    },
  });
  await front.open(tls, shift);
  c = await i.as('warden');
  await prepare(c);
  i.plant('node-never-boots', host);
  await c.good('POST', '/api/builds', { charter: 'plover' });
});
afterEach(() => machine?.powerOff());
afterAll(async () => {
  dhcp?.kill('SIGKILL');
  front.close();
  await i.stop();
  rmSync(dir, { recursive: true, force: true });
});

it('loads what the product makes when it has the authority from its controller', async () => {
  const uri = await eventually(async () => i.world.machines.get(host)?.bootUri, 'the controller is told what to boot', 60_000);
  expect(uri).toMatch(/^https:/);
  dhcp = answerFirmware(dir, uri);
  const authorities = i.world.machines.get(host)?.trusted.boot ?? [];
  machine = new Machine(join(dir, host), { mac: '52:8a:1c:40:02:01', authorities });
  const line = await told(machine);
  expect(line.replace(/ systemd.*/, '')).toBe(`ds=nocloud-net;s=${uri.replace(/boot\.efi$/, '')}`);
});

it('loads nothing by another authority', async () => {
  const other = certificate(dir, 'another');
  const asked = { programs: 0, refused: 0 };
  front.server.on('request', (req) => {
    if (req.url?.endsWith('boot.efi')) asked.programs++;
  });
  front.server.on('tlsClientError', () => {
    asked.refused++;
  });
  machine = new Machine(join(dir, 'refuses'), { mac: '52:8a:1c:40:02:01', authorities: [other.cert] });
  machine.powerOn();
  await eventually(async () => asked.refused > 0, 'firmware breaks the connection off', 200_000);
  await eventually(async () => /failed to load|No bootable option|Shell>/.test(machine?.said() ?? ''), 'and says so', 200_000);
  expect(asked.programs).toBe(0);
});
