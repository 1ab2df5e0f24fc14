import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { type GatewayFile, gatewayFiles, outsideForms, outsideText } from '../src/files/index.ts';
import { type Charter, type Estate, type Gateway, kinds, type Network } from '../src/model/index.ts';
import { goodEstate, network } from './estate.ts';

/** Files of gateways, and routes for outside, before the programs that will read them; each where it is installed. */
const dir = mkdtempSync(join(tmpdir(), 'praesidor-gateway-'));
afterAll(() => rmSync(dir, { recursive: true, force: true }));
const judge = (command: string, args: string[]) => {
  const r = spawnSync(command, args, { encoding: 'utf8' });
  return { code: r.status, said: `${r.stdout}${r.stderr}` };
};
const laid = (name: string, text: string) => {
  const at = join(dir, name);
  writeFileSync(at, text);
  return at;
};

const absent = ['bird', 'keepalived', 'nft', 'dnsmasq', 'kea-dhcp4'].filter((name) => !existsSync(`/usr/sbin/${name}`));
if (absent.length) process.stderr.write(`Not there, and what they judge of gateways is skipped: ${absent.join(', ')}\n`);

const pool = {
  range: '10.62.200.0-10.62.200.20',
  announce: 'bgp' as const,
  as: 64512,
  peers: [{ address: '10.62.8.2', as: 64513 }],
};
const good = goodEstate();
const gateway = kinds.Gateway.parse({
  kind: 'Gateway',
  name: 'gate',
  site: 'lr',
  addresses: [
    { network: 'lr-machine', address: '10.62.8.1', id: 8 },
    { network: 'up', address: '10.62.0.4', id: 9, leads: 'gate-b' },
  ],
  advertise: 0.5,
  routes: [{ to: '10.70.0.0/16', via: '10.62.0.1' }],
  bgp: { as: 64513, hold: 9, ways: 4, bfd: { interval: 300, missed: 3 }, peers: [{ address: '10.62.0.1', as: 64600 }] },
  nat: [{ from: '10.62.8.0/25', to: '10.62.0.4', out: 'up' }],
  rules: [
    { do: 'allow', from: '10.62.40.0/24', to: '10.62.8.0/25', protocol: 'tcp', port: 443 },
    { do: 'allow', protocol: 'icmp' },
    { do: 'allow', from: 'fd00:40::/64', protocol: 'udp', port: 5000, lastPort: 5010 },
    { do: 'deny', from: '10.62.40.0/24' },
  ],
  members: [
    {
      name: 'gate-a',
      priority: 150,
      interfaces: [
        { network: 'lr-machine', address: '10.62.8.2', name: 'machine' },
        { network: 'up', address: '10.62.0.2', name: 'uplink' },
      ],
      routes: [
        { to: '10.62.40.0/24', via: '10.62.0.1' },
        { to: 'fd00:40::/64', via: 'fd00:62:8::9' },
      ],
    },
    {
      name: 'gate-b',
      interfaces: [
        { network: 'lr-machine', address: '10.62.8.3' },
        { network: 'up', address: '10.62.0.3' },
      ],
    },
  ],
}) as Gateway;
const estate: Estate = {
  ...good,
  networks: [...good.networks, network('up', 'uplink', '10.62.0.0/29', 820) as Network],
  charters: good.charters.map((c) => kinds.Charter.parse({ ...c, servicePool: pool }) as Charter),
  gateways: [gateway],
};
const files = gatewayFiles(estate, gateway);
const of = (member: string, end: string) => files.find((f) => f.member === member && f.path.endsWith(end)) as GatewayFile;

describe.runIf(existsSync('/usr/sbin/bird'))('BIRD', () => {
  it.each(['gate-a', 'gate-b'])('takes the file of %s', (member) => {
    expect(judge('bird', ['-p', '-c', laid(`${member}.bird`, of(member, 'bird.conf').text)])).toEqual({ code: 0, said: '' });
  });
  it('would refuse a neighbour without an AS number', () => {
    const text = of('gate-a', 'bird.conf').text.replace(' as 64600', '');
    expect(judge('bird', ['-p', '-c', laid('wrong.bird', text)]).code).not.toBe(0);
  });
  it('is told of the nodes, of which it takes single addresses of the pool and nothing else', () => {
    const { text } = of('gate-a', 'bird.conf');
    // 10.62.200.0 to .20 are a /28, a /30 and one more.
    expect(text).toContain('import where net ~ [ 10.62.200.0/28{32,32}, 10.62.200.16/30{32,32}, 10.62.200.20/32{32,32} ];');
    expect(text).toContain('neighbor range 10.62.8.0/25 as 64512;');
    // The other one is no router that the cluster names.
    expect(of('gate-b', 'bird.conf').text).not.toContain('neighbor range');
  });
});
describe.runIf(existsSync('/usr/sbin/keepalived'))('keepalived', () => {
  it.each(['gate-a', 'gate-b'])('takes the file of %s', (member) => {
    const r = judge('keepalived', ['-t', '-f', laid(`${member}.keepalived`, of(member, 'keepalived.conf').text)]);
    // Interfaces that are not here are the one thing that it may say.
    expect([r.code === 0 || /interface .* does(n't| not) exist/i.test(r.said), /Unknown keyword|Invalid/i.test(r.said)]).toEqual([
      true,
      false,
    ]);
  });
  it('would say so of a word that it does not know', () => {
    const text = of('gate-a', 'keepalived.conf').text.replace('advert_int', 'advert_interval');
    expect(judge('keepalived', ['-t', '-f', laid('wrong.keepalived', text)]).said).toMatch(/Unknown keyword/i);
  });
  it('has who leads at each address', () => {
    const priorities = (m: string) => of(m, 'keepalived.conf').text.match(/priority \d+/g);
    expect([priorities('gate-a'), priorities('gate-b')]).toEqual([
      ['priority 150', 'priority 150'],
      ['priority 100', 'priority 254'],
    ]);
  });
});
describe.runIf(existsSync('/usr/sbin/nft') && process.getuid?.() === 0)('nftables', () => {
  it('takes the rules and the translation', () => {
    const at = laid('rules.nft', of('gate-a', 'nftables.conf').text);
    expect(judge('unshare', ['--net', 'nft', '--check', '--file', at])).toEqual({ code: 0, said: '' });
  });
});

describe('a route for machines outside', () => {
  const desks = network('desks', 'client', '10.62.40.0/24', 840, { gateway: '10.62.40.1' }) as Network;
  const text = (form: (typeof outsideForms)[number]) =>
    outsideText(form, { to: ['10.62.200.0/28', '10.62.200.16/30'], via: '10.62.40.9' }, desks) ?? '';
  it.runIf(existsSync('/usr/sbin/bird'))('is taken by BIRD', () => {
    const at = laid('out.bird', `router id 10.62.40.9;\nprotocol device { }\n${text('bird')}`);
    expect(judge('bird', ['-p', '-c', at])).toEqual({ code: 0, said: '' });
  });
  it.runIf(existsSync('/usr/sbin/dnsmasq'))('is taken by dnsmasq', () => {
    const r = judge('dnsmasq', ['--test', `--conf-file=${laid('out.dnsmasq', text('dnsmasq'))}`]);
    expect([r.code, r.said]).toEqual([0, expect.stringContaining('OK')]);
  });
  it.runIf(existsSync('/usr/sbin/kea-dhcp4'))('is taken by Kea, in the octets of RFC 3442', () => {
    const whole = { Dhcp4: { 'interfaces-config': { interfaces: [] }, 'lease-database': { type: 'memfile', persist: false } } };
    const given = JSON.parse(text('kea')) as typeof whole;
    const at = laid('out.kea', JSON.stringify({ Dhcp4: { ...whole.Dhcp4, ...given.Dhcp4 } }));
    expect(judge('kea-dhcp4', ['-t', at]).said).not.toMatch(/error/i);
    // 28 bits: 10.62.200.0 in four octets, over 10.62.40.9; 30 bits; and everything over the gateway 10.62.40.1.
    expect(text('kea')).toContain('1C0A3EC8000A3E28091E0A3EC8100A3E2809000A3E2801');
  });
  it.runIf(process.getuid?.() === 0)('is taken by ip, and chosen by the kernel', () => {
    const at = laid(
      'out.ip',
      `link add eth0 type bridge\naddr add 10.62.40.17/24 dev eth0\nlink set eth0 up\n${text('ip')}route get fibmatch 10.62.200.17\n`,
    );
    const r = judge('unshare', ['--net', 'ip', '-batch', at]);
    expect(r).toEqual({ code: 0, said: expect.stringContaining('10.62.200.16/30 via 10.62.40.9 dev eth0') });
  });
  it('has no form where DHCP gives no routes', () => {
    const six = network('desks-six', 'client', 'fd00:40::/64', 840, { gateway: 'fd00:40::1' }) as Network;
    expect(outsideForms.map((f) => outsideText(f, { to: ['fd00:200::/120'], via: 'fd00:40::9' }, six) !== undefined)).toEqual([
      true,
      false,
      false,
      true,
    ]);
  });
});
