import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { eventually } from './installation.ts';
import { layOut } from './kit-of-plover.ts';
import { Rooms, roomsCanBeHad } from './rooms.ts';

/** Debian's Kea and dnsmasq with the files of the boot kit: each gives a node the address that the plan has for it. */
const rooms = new Rooms();
const dir = mkdtempSync(join(tmpdir(), 'dhcp-'));
let laid: Awaited<ReturnType<typeof layOut>>;
let server: ReturnType<Rooms['start']> | undefined;

/** Asks as a machine with that MAC does (RFC 2131, DHCPDISCOVER), and says what it is offered: address, next server, file. */
const client = `
const [, mac, as] = process.argv;
const option = (n, bytes) => Buffer.from([n, bytes.length, ...bytes]);
// Firmware that starts by PXE (RFC 4578), and the iPXE that it loads.
const more = [
  ...(as ? [option(60, Buffer.from('PXEClient:Arch:00007:UNDI:003016')), option(93, [0, 7])] : []),
  ...(as === 'ipxe' ? [option(77, Buffer.from('iPXE'))] : []),
];
const socket = require('node:dgram').createSocket('udp4');
const ask = Buffer.concat([Buffer.alloc(243), ...more, Buffer.from([255]), Buffer.alloc(60)]);
ask.set([1, 1, 6, 0, 0x12, 0x34, 0x56, 0x78]);
ask.writeUInt16BE(0x8000, 10);
ask.set(mac.split(':').map((b) => parseInt(b, 16)), 28);
ask.set([0x63, 0x82, 0x53, 0x63, 53, 1, 1], 236);
socket.on('message', (m) => { if (m[0] === 2) { console.log([...m.subarray(16, 20)].join('.'), [...m.subarray(20, 24)].join('.'), m.toString('latin1', 108, 236).split('\\0')[0]); process.exit(0); } });
socket.bind(68, () => { socket.setBroadcast(true); socket.send(ask, 67, '255.255.255.255'); });
setTimeout(() => process.exit(1), 2000);`;
const answered = async (mac: string, as?: 'firmware' | 'ipxe') => {
  const r = await rooms.run('machine', [process.execPath, '-e', client, mac, ...(as ? [as] : [])]);
  return r.code === 0 ? r.out.trim() : undefined;
};
const offered = async (mac: string) => (await answered(mac))?.split(' ')[0];

beforeAll(async () => {
  if (!roomsCanBeHad) return;
  laid = await layOut(dir, { server: 'http://10.62.8.2:8080' });
  rooms.open();
  rooms.add('server', 'eth0', '10.62.8.2/25');
  rooms.add('machine', 'eth0', '10.62.8.126/25');
  await rooms.run('machine', ['ip', 'route', 'add', '255.255.255.255', 'dev', 'eth0']);
});
afterEach(async () => {
  await server?.end();
});
afterAll(() => {
  rooms.close();
  rmSync(dir, { recursive: true, force: true });
});

const file = (name: string) => laid.kit.find((f) => f.path === `cluster/dhcp/${name}`)?.content ?? '';
async function gives() {
  const [first, second] = laid.plan.nodes as [(typeof laid.plan.nodes)[number], (typeof laid.plan.nodes)[number]];
  expect(
    await eventually(
      () => offered(first.mac),
      () => `an offer; the server says ${server?.said()}`,
    ),
  ).toBe(first.address);
  expect(await offered(second.mac)).toBe(second.address);
  // Firmware that starts by PXE is told its first program, that program its script; whoever asks otherwise neither.
  expect(await answered(first.mac, 'firmware')).toBe(`${first.address} 10.62.8.2 ipxe.efi`);
  expect((await answered(first.mac, 'ipxe'))?.split(' ')[2]).toBe(`http://10.62.8.2:8080/boot/pxe/\${net0/mac}`);
  expect((await answered(first.mac))?.split(' ')[2]).toBeUndefined();
  // A stranger is given one of the scope, and none of a node.
  expect(await offered('52:8a:1c:ff:ff:01')).toMatch(/^10\.62\.8\.1(0\d|1\d)$/);
}

describe.runIf(roomsCanBeHad && existsSync('/usr/sbin/kea-dhcp4'))('Kea', () => {
  it('gives each node its planned address, and remembers what it gave', async () => {
    const config = JSON.parse(file('kea-dhcp4.json')) as { Dhcp4: { 'lease-database': object } };
    const leases = join(dir, 'leases.csv');
    config.Dhcp4['lease-database'] = { ...config.Dhcp4['lease-database'], name: leases };
    writeFileSync(join(dir, 'kea.json'), JSON.stringify(config));
    mkdirSync(join(dir, 'run'), { recursive: true });
    server = rooms.start('server', ['kea-dhcp4', '-c', join(dir, 'kea.json')], {
      KEA_PIDFILE_DIR: join(dir, 'run'),
      KEA_LOCKFILE_DIR: join(dir, 'run'),
    });
    await gives();
    expect(readFileSync(leases, 'utf8')).toMatch(/^address,hwaddr/);
  });
});

describe.runIf(roomsCanBeHad && existsSync('/usr/sbin/dnsmasq'))('dnsmasq', () => {
  it('gives each node its planned address', async () => {
    writeFileSync(join(dir, 'dnsmasq.conf'), file('dnsmasq.conf'));
    server = rooms.start('server', [
      ...['dnsmasq', '-k', '--user=root', '--port=0', '--interface=eth0', '--bind-interfaces', '--log-facility=-', '--no-ping'],
      ...[`--conf-file=${join(dir, 'dnsmasq.conf')}`, `--dhcp-leasefile=${join(dir, 'leases')}`],
    ]);
    await gives();
  });
});
