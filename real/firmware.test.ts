import { type ChildProcess, spawn } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, expect, it } from 'vitest';
import { type Client, eventually, freePort, Installation, prepare } from '../apps/server/test/installation.ts';
import { writeInitialFiles } from '../scripts/lib/initial-files.mjs';
import { answerFirmware, Machine, openRoom, room } from './machine.ts';

/**
 * UEFI firmware (Debian's ovmf) boots what the product serves for a host: the product makes it of Debian's kernel and Debian's
 * stub, which are shipped to the room like every image. The system here is one program that says what the kernel was told.
 */
const parts = process.env.PRAESIDOR_REAL ?? '';
const dir = mkdtempSync(join(tmpdir(), 'firmware-'));
const i = new Installation();
let c: Client;
let dhcp: ChildProcess | undefined;
let machine: Machine | undefined;
const image = 'images.upstream.example/core/system:1.34.2';

beforeAll(async () => {
  const kernel = join(
    parts,
    'kernel/boot',
    readdirSync(join(parts, 'kernel/boot')).find((f) => f.startsWith('vmlinuz-')) as string,
  );
  const init = [
    '#!/busybox sh',
    '/busybox mkdir -p /proc /dev',
    '/busybox mount -t proc proc /proc',
    '/busybox mount -t devtmpfs dev /dev',
    'echo "TOLD $(/busybox cat /proc/cmdline) END" > /dev/ttyS0',
    '/busybox poweroff -f',
  ].join('\n');
  const system = join(dir, 'initrd');
  writeInitialFiles(system, [
    { path: 'busybox', from: '/bin/busybox', mode: 0o755 },
    { path: 'init', body: `${init}\n`, mode: 0o755 },
  ]);
  const layer = (title: string, bytes: Buffer) => ({ key: title, paper: bytes.length, title, bytes });
  const port = await freePort();
  await i.start({
    also: [
      {
        image,
        layers: [
          layer('kernel', readFileSync(kernel)),
          layer('initrd', readFileSync(system)),
          layer('stub', readFileSync('/usr/lib/systemd/boot/efi/linuxx64.efi.stub')),
        ],
      },
    ],
    settings: {
      host: '0.0.0.0',
      port,
      publicUrl: `http://${room.server}:${port}`,
      tftpPort: 69,
      pxeProgram: '/usr/lib/ipxe/snponly.efi',
    },
    patience: 1800,
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

/** What the kernel of a machine was told, as the one program of its system says. */
async function told(m: Machine): Promise<string> {
  const began = Date.now();
  m.powerOn();
  const line = await eventually(
    async () =>
      /TOLD (.*) END/.exec(m.said())?.[1] ||
      (/failed to load|Kernel panic/.test(m.said()) && Promise.reject(new Error(m.said().slice(-2000)))),
    'the kernel says what it was told',
    300_000,
  ).catch((e: Error) => {
    throw new Error(`${e.message}\n${m.said().slice(-3000)}`);
  });
  process.stdout.write(`firmware to first program: ${((Date.now() - began) / 1000).toFixed(0)} s\n`);
  return line;
}

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
