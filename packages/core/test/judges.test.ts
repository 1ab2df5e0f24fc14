import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { parsePrefix } from '../src/address/index.ts';
import { domainXml } from '../src/hosts/index.ts';
import { dhcpNetworks, dnsmasqConf, keaJson } from '../src/ledger/index.ts';
import { kinds, type Reservation, type Zone } from '../src/model/index.ts';
import { delegation, lintZone, plannedRecords, readMaster, recordsOfZone, reverseZones, zoneFile } from '../src/naming/index.ts';
import { goodEstate } from './estate.ts';

/** Our files before programs that we did not write. */
const dir = mkdtempSync(join(tmpdir(), 'praesidor-judges-'));
afterAll(() => rmSync(dir, { recursive: true, force: true }));
const which = (...paths: string[]) => paths.find((p) => existsSync(p));
const checkzone = which('/usr/bin/named-checkzone', '/usr/sbin/named-checkzone');
const kea = which('/usr/sbin/kea-dhcp4');
const dnsmasq = which('/usr/sbin/dnsmasq');
const virt = which('/usr/bin/virt-xml-validate');
const put = (name: string, text: string) => {
  const file = join(dir, name);
  writeFileSync(file, text);
  return file;
};
const run = (command: string, args: string[]) => {
  const r = spawnSync(command, args, { encoding: 'utf8', cwd: dir });
  return { good: r.status === 0, said: `${r.stdout}${r.stderr}` };
};

const estate = goodEstate();
const add = (address: string, name: string, mac?: string) =>
  estate.reservations.push(
    kinds.Reservation.parse({
      kind: 'Reservation',
      address,
      network: 'lr-machine',
      name,
      mac,
      owner: { kind: 'hand', name: 'desk' },
    }) as Reservation,
  );
for (let i = 2; i < 40; i++)
  if (i < 20 || i > 31)
    add(`10.62.8.${i}`, `host-${i}.lr.kestrelferries.example`, `72:b5:e8:00:00:${i.toString(16).padStart(2, '0')}`);
estate.records.push(
  kinds.Record.parse({
    kind: 'Record',
    zone: 'lr.kestrelferries.example',
    name: 'about',
    type: 'TXT',
    value: `quotes " and \\ and ünïcode; ${'long '.repeat(120)}`,
  }),
  kinds.Record.parse({
    kind: 'Record',
    zone: 'lr.kestrelferries.example',
    name: '_kube._tcp',
    type: 'SRV',
    value: '0 5 6443 host-2.lr.kestrelferries.example',
  }),
  kinds.Record.parse({ kind: 'Record', zone: 'lr.kestrelferries.example', name: '*.in.plover', type: 'A', value: '10.62.8.21' }),
);
const records = plannedRecords(estate);

describe.runIf(checkzone)('named-checkzone', () => {
  const judge = (zone: string, text: string) => run(checkzone as string, ['-i', 'local', zone, put(`${zone}.zone`, text)]);
  it.each(estate.zones.map((z) => [z.name, z] as const))('takes %s as we write it', (name, zone) => {
    const r = judge(name, zoneFile(zone, 2026112300, recordsOfZone(records, name)));
    expect(r.said).toContain('loaded serial 2026112300');
    expect(r.good).toBe(true);
  });
  it('takes a reverse zone below a /24 and the names that lead into it (RFC 2317)', () => {
    const [below] = reverseZones(parsePrefix('10.62.8.64/28'));
    const base = estate.zones[0] as Zone;
    const rows = delegation(below as never, base.servers).map((x) => ({ ...x, ttl: 3600 }));
    expect(
      judge(
        '8.62.10.in-addr.arpa',
        zoneFile({ ...base, name: '8.62.10.in-addr.arpa' }, 1, [
          { name: '8.62.10.in-addr.arpa', type: 'NS', ttl: 3600, value: base.servers[0] as string },
          ...rows,
        ]),
      ).good,
    ).toBe(true);
    const inside = [
      { name: below?.name ?? '', type: 'NS', ttl: 3600, value: base.servers[0] as string },
      { name: `66.${below?.name}`, type: 'PTR', ttl: 3600, value: 'host-2.lr.kestrelferries.example' },
    ];
    expect(judge(below?.name ?? '', zoneFile({ ...base, name: below?.name ?? '' }, 1, inside)).good).toBe(true);
  });
  const soa = '$TTL 3600\n@ SOA ns1 hm 1 3600 900 1209600 300\n@ NS ns1\nns1 A 10.0.0.1\n';
  it.each([
    ['a CNAME beside other data', 'web CNAME ns1\nweb A 10.0.0.2\n'],
    ['an address that is none', 'web A 10.0.0.256\n'],
    ['a label that is too long', `${'a'.repeat(64)} A 10.0.0.2\n`],
    ['an empty label', 'a..b A 10.0.0.2\n'],
    ['a second SOA', '@ SOA ns2 hm 2 3600 900 1209600 300\n'],
    ['a type that is none', 'web WHAT 10.0.0.2\n'],
    ['an open parenthesis', 'web TXT ( "a"\n'],
    ['an open quotation mark', 'web TXT "a\n'],
    ['too much data', 'web A 10.0.0.2 10.0.0.3\n'],
  ])('and we refuse alike: %s', (_, line) => {
    const ours = readMaster(soa + line, 'x.example');
    const stops = [...ours.problems, ...lintZone('x.example', ours.records).problems].filter((p) => p.severity === 'stop');
    expect([stops.length > 0, judge('x.example', soa + line).good]).toEqual([true, false]);
  });
  it('and we take alike what is good', () => {
    const text = `${soa}web 5m A 10.0.0.2\n 10m TXT ( "a" ; one\n  "b c" )\nold CNAME web\n*.in A 10.0.0.3\n`;
    const ours = readMaster(text, 'x.example');
    expect([ours.problems, judge('x.example', text).good]).toEqual([[], true]);
  });
});

const pxe = { server: '10.62.8.9', program: 'ipxe.efi', script: `http://10.62.8.9:8080/boot/pxe/\${net0/mac}` };
const list = dhcpNetworks(estate.sites[0] as never, estate.networks, estate.reservations);
describe.runIf(kea)('kea-dhcp4', () => {
  it('takes the networks as we write them, and refuses them broken', () => {
    const r = run(kea as string, ['-t', put('kea.json', keaJson(list))]);
    expect([r.good, r.said]).toEqual([true, expect.any(String)]);
    const withStart = run(kea as string, ['-t', put('pxe.json', keaJson(list, pxe))]);
    expect([withStart.good, withStart.said]).toEqual([true, expect.any(String)]);
    expect(run(kea as string, ['-t', put('broken.json', keaJson(list).replace('10.62.8.100 - ', '10.99.8.100 - '))]).good).toBe(
      false,
    );
  });
});
describe.runIf(dnsmasq)('dnsmasq', () => {
  it.each([undefined, pxe])('takes the lines as we write them: %j', (start) => {
    const r = run(dnsmasq as string, ['--test', `--conf-file=${put('dnsmasq.conf', dnsmasqConf(list, start))}`]);
    expect(r.said).toContain('syntax check OK');
    expect(r.good).toBe(true);
  });
});

describe.skipIf(!virt)('virt-xml-validate', () => {
  const domain = {
    name: 'bw-g1',
    uuid: '3f0a6c1e-52b1-8d3e-9a44-0f6f5b7f1c22',
    vcpu: 8,
    memoryGiB: 32,
    disks: [
      { pool: 'fast', volume: 'bw-g1-0' },
      { pool: 'wide', volume: 'bw-g1-1' },
    ],
    nics: [{ mac: '52:54:1b:22:09:f1', bridge: 'br400' }],
  };
  it.each([
    ['x86-64', undefined],
    ['arm64', undefined],
    ['x86-64', 'http://10.40.0.9:8080/boot/token/'],
  ] as const)('takes a guest on %s, with the seed %s', (arch, seed) => {
    const r = run(virt as string, [put('guest.xml', domainXml({ ...domain, ...(seed ? { seed } : {}) }, arch)), 'domain']);
    expect(r.said).toContain('validates');
    expect(r.good).toBe(true);
  });
  it('refuses one that is none', () => {
    expect(
      run(virt as string, [put('bad.xml', domainXml(domain).replace('<devices>', '<gadgets/><devices>')), 'domain']).good,
    ).toBe(false);
  });
});
