import { type ChildProcess, spawn } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, expect, it } from 'vitest';
import { type Client, eventually, freePort, Installation, prepare } from '../apps/server/test/installation.ts';
import { answerFirmware, Machine, openRoom, room } from './machine.ts';
import { smallSystem, told } from './small-system.ts';

/**
 * UEFI firmware (Debian's ovmf) boots what the product serves for a host: the product makes it of Debian's kernel and Debian's
 * stub, which are shipped to the room like every image. The system here is one program that says what the kernel was told.
 */
const dir = mkdtempSync(join(tmpdir(), 'firmware-'));
const i = new Installation();
let c: Client;
let dhcp: ChildProcess | undefined;
let machine: Machine | undefined;
const image = 'images.upstream.example/core/system:1.34.2';

beforeAll(async () => {
  const port = await freePort();
  await i.start({
    also: [
      {
        image,
        layers: smallSystem(dir),
      },
    ],
    settings: {
      host: '0.0.0.0',
      port,
      publicUrl: `http://${room.server}:${port}`,
      tftpPort: 69,
      pxeProgram: '/usr/lib/ipxe/snponly.efi',
    },
    timeoutSeconds: 1800,
    before: (shift) => openRoom(shift),
  });
  c = await i.as('warden');
  await prepare(c);
  await c.good('POST', '/api/edits', {
    edits: [
      { op: 'set', kind: 'Host', key: 'lr-04', path: ['bmc', 'boot'], value: 'media' },
      { op: 'set', kind: 'Host', key: 'lr-05', path: ['bmc', 'boot'], value: 'pxe' },
    ],
    why: 'they start otherwise',
  });
  // The stand-ins of these hosts do nothing: emulated machines take their places.
  for (const host of ['lr-02', 'lr-04', 'lr-05']) i.plant('node-never-boots', host);
  await c.good('POST', '/api/builds', { charter: 'plover' });
});
afterEach(() => machine?.powerOff());
afterAll(async () => {
  dhcp?.kill('SIGKILL');
  await i.stop();
  rmSync(dir, { recursive: true, force: true });
});

it('firmware loads the program that the product makes, and its kernel is told where its first-boot data are', async () => {
  const uri = await eventually(async () => i.world.machines.get('lr-02')?.bootUri, 'the controller is told what to boot', 60_000);
  dhcp = answerFirmware(dir, uri);
  machine = new Machine(join(dir, 'lr-02'), { mac: '52:8a:1c:40:02:01' });
  const line = await told(machine);
  expect(uri).toMatch(/\/boot\.efi$/);
  expect(line).toMatch(/ systemd\.machine_id=[0-9a-f]{32}$/);
  expect(line.replace(/ systemd.*/, '')).toBe(`ds=nocloud-net;s=${uri.replace(/boot\.efi$/, '')}`);
  expect((await fetch(`${uri.replace(/boot\.efi$/, '')}user-data`)).status).toBe(200);
});

it('firmware starts from the medium that the product makes, without DHCP', async () => {
  dhcp?.kill('SIGKILL');
  const uri = await eventually(async () => i.world.machines.get('lr-04')?.media, 'the controller plays a medium', 60_000);
  machine = new Machine(join(dir, 'lr-04'), { mac: '52:8a:1c:40:04:01', medium: () => uri });
  const line = await told(machine);
  expect(line.replace(/ systemd.*/, '')).toBe(`ds=nocloud praesidor.files=${uri.replace(/boot\.iso$/, '')}`);
});

it('firmware loads iPXE over TFTP, as the DHCP file of the product says, and that finds the script of its host', async () => {
  await eventually(async () => i.world.machines.get('lr-05')?.bootTarget === 'Pxe', 'the controller is told', 60_000);
  const file = join(dir, 'dnsmasq.conf');
  writeFileSync(
    file,
    await (
      await fetch(`${i.config.publicUrl}/api/addresses/files/dnsmasq.conf?site=lr`, { headers: { cookie: c.cookie } })
    ).text(),
  );
  dhcp = spawn(
    'dnsmasq',
    [
      ...['-k', '--user=root', '--port=0', '--bind-interfaces', `--interface=${room.bridge}`],
      ...['--dhcp-authoritative', `--dhcp-leasefile=${join(dir, 'pxe-leases')}`, `--conf-file=${file}`],
    ],
    { stdio: 'ignore' },
  );
  machine = new Machine(join(dir, 'lr-05'), { mac: '52:8a:1c:40:05:01', pxe: true });
  const line = await told(machine);
  expect(line).toMatch(/ds=nocloud-net;s=http:\S+\/boot\/\S+\/ systemd\.machine_id=[0-9a-f]{32}$/);
  const { lines } = await c.good<{ lines: { line: string }[] }>('GET', '/api/builds/plover/1/log?step=lr-05/system');
  expect(lines.map((l) => l.line)).toContain('asked by PXE, as 52:8a:1c:40:05:01');
});
