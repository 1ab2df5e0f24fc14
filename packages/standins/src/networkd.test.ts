import { describe, expect, it } from 'vitest';
import { configuredMacs, networkOf } from './networkd.ts';

const at = (files: Record<string, string>) =>
  networkOf(Object.fromEntries(Object.entries(files).map(([name, text]) => [`/etc/systemd/network/${name}`, text])));
const member = (mac: string, bond: string) => `[Match]\nPermanentMACAddress=${mac}\n[Network]\nBond=${bond}\n`;
const netdev = (name: string, kind: string) => `[NetDev]\nName=${name}\nKind=${kind}\n`;

describe('systemd-networkd', () => {
  it('gives an address to the adapter that its file matches, the first of several', () => {
    expect(
      at({
        '20-b.network': '[Match]\nMACAddress=52:00:00:00:00:02\n[Network]\nAddress=10.0.0.2/24\n',
        '10-a.network': '[Match]\nMACAddress=52:00:00:00:00:01\n\n[Network]\nAddress=10.0.0.1/24\nDNS=10.0.0.53\nDNS=10.0.0.54\n',
      }),
    ).toEqual({ macs: ['52:00:00:00:00:01'], address: '10.0.0.1', nameservers: ['10.0.0.53', '10.0.0.54'] });
  });

  it('finds what carries a tag on a bond', () => {
    const files = {
      '05-eno1.network': member('52:00:00:00:00:01', 'bond0'),
      '05-eno2.network': member('52:00:00:00:00:02', 'bond0'),
      '05-bond0.netdev': netdev('bond0', 'bond'),
      '05-bond0.network': '[Match]\nName=bond0\n[Network]\nVLAN=bond0.812\n',
      '05-bond0.812.netdev': netdev('bond0.812', 'vlan'),
      '05-bond0.812.network': '[Match]\nName=bond0.812\n[Network]\nAddress=10.0.0.1/24\n',
    };
    expect(at(files)?.macs).toEqual(['52:00:00:00:00:01', '52:00:00:00:00:02']);
    // A device that no file makes is not there, nor is one that nothing carries.
    const { '05-bond0.812.netdev': _, ...without } = files;
    expect(at(without)).toBeUndefined();
    expect(at({ ...files, '05-bond0.network': '[Match]\nName=bond0\n' })).toBeUndefined();
    expect(at({ ...files, '05-bond0.netdev': netdev('bond1', 'bond') })).toBeUndefined();
  });
});

describe('a network configuration, version 2', () => {
  const adapters = { eno1: { match: { macaddress: '52:00:00:00:00:01' } }, eno2: { match: { macaddress: '52:00:00:00:00:02' } } };
  const text = (more: object) => JSON.stringify({ network: { version: 2, ethernets: adapters, ...more } });
  const addresses = ['10.0.0.1/24'];
  it.each([
    ['no address', {}, []],
    ['a bond', { bonds: { b: { interfaces: ['eno1', 'eno2'], addresses } } }, ['52:00:00:00:00:01', '52:00:00:00:00:02']],
    ['a tag', { vlans: { v: { link: 'eno2', id: 5, addresses } } }, ['52:00:00:00:00:02']],
    [
      'a tag on a bond',
      { bonds: { b: { interfaces: ['eno1'] } }, vlans: { v: { link: 'b', addresses } } },
      ['52:00:00:00:00:01'],
    ],
    ['a tag on nothing', { vlans: { v: { link: 'b', addresses } } }, []],
    ['a circle', { vlans: { v: { link: 'v', addresses } } }, []],
  ])('with %s', (_, more, macs) => {
    expect(configuredMacs(text(more))).toEqual(macs);
  });
  it('of another version is none', () => {
    expect(configuredMacs('network: {version: 1, ethernets: {a: {match: {macaddress: x}, addresses: [1]}}}')).toEqual([]);
    expect(configuredMacs('')).toEqual([]);
  });
});
