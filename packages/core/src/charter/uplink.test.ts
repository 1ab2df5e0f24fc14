import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import type { Charter, Host, Network } from '../model/index.ts';
import { bootKit, placeholder } from '../files/index.ts';
import { applyEdits } from '../model/index.ts';
import { resolve } from './resolve.ts';
import { absentAdapters, interfaceWithAddress, uplinkFor } from './uplink.ts';

const mac = (n: number) => `52:8a:1c:40:09:0${n}`;
const estate = goodEstate();
const base = estate.hosts[0] as Host;
const network = estate.networks.find((n) => n.name === 'lr-machine') as Network;
const host = (uplink?: object, names = ['eno1', 'eno2']): Host =>
  ({
    ...base,
    facts: {
      ...base.facts,
      nics: names.map((name, i) => ({ name, mac: mac(i + 1), speedGbit: 25, link: i > 0 || names.length === 1 })),
    },
    ...(uplink ? { uplink: { tagged: false, ...uplink } } : {}),
  }) as Host;

describe('what carries the machine network', () => {
  it('is the first adapter with a link, untagged, when nothing is said', () => {
    expect(uplinkFor(host(), network)).toEqual({ adapters: [{ name: 'eno2', mac: mac(2) }] });
  });
  it('is what is said: in that order, as a bond, with the tag of the network', () => {
    expect(uplinkFor(host({ adapters: ['eno2', 'eno1'], bond: '802.3ad', tagged: true }), network)).toEqual({
      adapters: [
        { name: 'eno2', mac: mac(2) },
        { name: 'eno1', mac: mac(1) },
      ],
      bond: '802.3ad',
      vlan: 812,
    });
    // Several adapters without a word on how are a bond of which one leads; one alone can be a bond too.
    expect(uplinkFor(host({ adapters: ['eno1', 'eno2'] }), network).bond).toBe('active-backup');
    expect(uplinkFor(host({ adapters: ['eno1'] }), network).bond).toBeUndefined();
    expect(uplinkFor(host({ adapters: ['eno1'], bond: 'active-backup' }), network).bond).toBe('active-backup');
  });
  it('names adapters that are not there, and does without them', () => {
    const h = host({ adapters: ['eno1', 'eno9'], bond: '802.3ad' });
    expect(absentAdapters(h)).toEqual(['eno9']);
    expect(uplinkFor(h, network).adapters).toEqual([{ name: 'eno1', mac: mac(1) }]);
    expect(absentAdapters(host())).toEqual([]);
  });
  it.each([
    [{ adapters: ['eno1'] }, 'eno1'],
    [{ adapters: ['eno1'], tagged: true }, 'eno1.812'],
    [{ adapters: ['eno1', 'eno2'] }, 'bond0'],
    [{ adapters: ['eno1', 'eno2'], tagged: true }, 'bond0.812'],
  ])('%j has the address on %s', (uplink, name) => {
    expect(interfaceWithAddress(uplinkFor(host(uplink), network))).toBe(name);
  });
  it('whose name would be longer than fifteen letters is called by its tag', () => {
    const h = host({ adapters: ['enp129s0f1np1'], tagged: true }, ['enp129s0f1np1']);
    expect(interfaceWithAddress(uplinkFor(h, network))).toBe('vlan812');
  });
});

describe('a kit with a bond and a tag', () => {
  const nics = [1, 2].map((n) => ({ name: `eno${n}`, mac: mac(n), speedGbit: 25, link: true }));
  const bonded = applyEdits(estate, [
    { op: 'set', kind: 'Host', key: 'lr-01', path: ['facts', 'nics'], value: nics },
    {
      op: 'set',
      kind: 'Host',
      key: 'lr-01',
      path: ['uplink'],
      value: { adapters: ['eno1', 'eno2'], bond: '802.3ad', tagged: true },
    },
  ]);
  const plan = resolve(bonded.charters[0] as Charter, bonded);
  const kit = bootKit({
    estate: bonded,
    plan,
    secret: placeholder('plover'),
    installation: 'build 1',
    bootUrl: (h) => `http://x/${h}`,
    reportUrl: (h) => `http://x/${h}`,
  });
  const text = (path: string) => kit.find((f) => f.path === `hosts/lr-01/${path}`)?.content ?? '';
  it('has the virtual address where the node has its own, and the DHCP reservation for the bond’s address', () => {
    expect(plan.nodes.find((n) => n.host === 'lr-01')).toMatchObject({ nic: 'bond0.812', mac: mac(1) });
    expect(text('root/etc/keepalived/keepalived.conf')).toContain('interface bond0.812');
    const kea = kit.find((f) => f.path.includes('kea') && f.content.includes('lr-01'))?.content ?? '';
    expect(kea).toContain(mac(1));
  });
  it('is the same for cloud-init as for networkd', () => {
    expect(text('network-config')).toMatch(/bonds:\n {4}bond0:\n {6}interfaces:\n {8}- eno1\n {8}- eno2\n/);
    expect(text('network-config')).toMatch(/bond0\.812:\n {6}id: 812\n {6}link: bond0\n/);
    expect(text('root/etc/systemd/network/05-bond0.network')).toBe(
      '[Match]\nName=bond0\n\n[Network]\nVLAN=bond0.812\nDHCP=no\nIPv6AcceptRA=no\nLinkLocalAddressing=no\n',
    );
    expect(text('root/etc/systemd/network/05-bond0.812.network')).toContain('Address=10.62.8.');
    expect(text('root/etc/systemd/network/05-eno2.network')).toContain('Bond=bond0');
  });
  it('changes nothing for hosts of which nothing is said', () => {
    const plain = bootKit({
      estate,
      plan: resolve(estate.charters[0] as Charter, estate),
      secret: placeholder('plover'),
      installation: 'build 1',
      bootUrl: (h) => `http://x/${h}`,
      reportUrl: (h) => `http://x/${h}`,
    });
    const of = (files: typeof kit) => files.filter((f) => f.path.startsWith('hosts/lr-05/root/etc/systemd/network'));
    expect(of(kit)).toEqual(of(plain));
    expect(of(kit).map((f) => f.path.split('/').at(-1))).toEqual(['10-machine.link', '10-machine.network']);
  });
});
