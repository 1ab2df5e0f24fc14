import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { layOut } from './kit-of-plover.ts';
import { read } from '../src/areas/builds/measure-from.ts';
import { tarOf } from '../src/tar-of.ts';
import { Rooms, roomsCanBeHad } from './rooms.ts';

/**
 * The program of a host, the kernel's own routers and Debian's ping: which packet comes through whole.
 *
 *     host 10.66.1.2 ──9000── router ──1400── far 10.66.2.2
 */
const able = roomsCanBeHad && existsSync('/usr/bin/ping') && existsSync('/usr/sbin/nft');
if (roomsCanBeHad && !able) process.stderr.write('ping or nft is not there: no path MTU is measured.\n');

describe.runIf(able)('the largest packet that a host gets through', () => {
  const rooms = new Rooms();
  const dir = able ? mkdtempSync(join(tmpdir(), 'path-mtu-')) : '';
  const sh = async (room: string, command: string) => {
    const { code, out } = await rooms.run(room, ['sh', '-c', command]);
    if (code !== 0) throw new Error(out);
  };
  const measured = async (address: string) => {
    writeFileSync(join(dir, 'asked.tar'), await tarOf([{ name: 'reach', content: `${address} 443\n`, mode: '0644' }]));
    // The lock of this host is its own.
    const script = `mkdir -p ${dir}/run; mount --bind ${dir}/run /run; sh ${dir}/praesidor-put < ${dir}/asked.tar`;
    const { out } = await rooms.run('host', ['unshare', '--mount', '--propagation', 'private', 'sh', '-c', script], 60_000);
    return { ...read(out.split('\n')), out };
  };
  beforeAll(async () => {
    const laid = await layOut(join(dir, 'kit'));
    writeFileSync(join(dir, 'praesidor-put'), readFileSync(laid.on('lr-02', '/usr/local/sbin/praesidor-put'), 'utf8'));
    rooms.open().bridge('far');
    rooms.add('host', 'near', '10.66.1.2/24');
    rooms.add('router', 'near', '10.66.1.1/24');
    rooms.add('router', 'far', '10.66.2.1/24', 'far');
    rooms.add('far', 'far', '10.66.2.2/24', 'far');
    for (const [room, nic, address] of [
      ['host', 'near', 'fd66:1::2'],
      ['router', 'near', 'fd66:1::1'],
      ['router', 'far', 'fd66:2::1'],
      ['far', 'far', 'fd66:2::2'],
    ] as const)
      await sh(room, `ip address add ${address}/64 dev ${nic} nodad`);
    await sh('switch', 'for p in $(ls /sys/class/net); do ip link set $p mtu 9000 || true; done');
    for (const room of ['host', 'router']) await sh(room, 'ip link set near mtu 9000');
    for (const room of ['router', 'far']) await sh(room, 'ip link set far mtu 1400');
    await sh('router', 'sysctl -q -w net.ipv4.ip_forward=1 net.ipv6.conf.all.forwarding=1');
    await sh('host', 'ip route add default via 10.66.1.1; ip -6 route add default via fd66:1::1');
    await sh('far', 'ip route add default via 10.66.2.1; ip -6 route add default via fd66:2::1');
  });
  afterAll(() => {
    rooms.close();
    if (dir) rmSync(dir, { recursive: true, force: true });
  });

  it('is that of its link where all links carry as much', async () => {
    expect(await measured('10.66.1.1')).toMatchObject({ via: null, link: 'near', mtu: 9000, pathMtu: 9000 });
  });
  it.each(['10.66.2.2', 'fd66:2::2'])('is that of the narrowest link, as the router before it says: to %s', async (address) => {
    expect(await measured(address)).toMatchObject({ mtu: 9000, pathMtu: 1400 });
  });
  it.each(['10.66.2.2', 'fd66:2::2'])('is found where the router says nothing of it: to %s', async (address) => {
    await sh('router', 'nft add table inet mute');
    await sh('router', "nft 'add chain inet mute out { type filter hook output priority 0; }'");
    await sh('router', "nft 'add rule inet mute out icmp type destination-unreachable drop'");
    await sh('router', "nft 'add rule inet mute out icmpv6 type packet-too-big drop'");
    await sh('host', 'ip route flush cache; ip -6 route flush cache');
    try {
      expect(await measured(address)).toMatchObject({ mtu: 9000, pathMtu: 1400 });
    } finally {
      await sh('router', 'nft delete table inet mute');
    }
  });
  it('is not told where nobody answers probes', async () => {
    expect(await measured('10.66.2.9')).toMatchObject({ mtu: 9000, pathMtu: null, answered: false });
  });
});
