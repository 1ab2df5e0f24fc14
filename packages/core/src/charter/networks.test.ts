import { describe, expect, it } from 'vitest';
import { parse } from 'yaml';
import { goodEstate, network } from '../../test/estate.ts';
import { bootKit, placeholder } from '../files/index.ts';
import { applyEdits, type Charter, type Doc, type Estate, type Host, kinds } from '../model/index.ts';
import { resolve } from './index.ts';

const volumes = (more: object = {}) =>
  network('lr-volumes', 'storage', '10.62.12.0/26', 820, {
    pools: [{ name: 'nodes', range: '10.62.12.10-10.62.12.40', use: 'host' }],
    ...more,
  });
const withNetwork = (more: object = {}, ...docs: Doc[]): Estate =>
  applyEdits(goodEstate(), [
    ...[volumes(more), ...docs].map((doc) => ({ op: 'put' as const, doc })),
    { op: 'set', kind: 'Charter', key: 'plover', path: ['networks'], value: ['lr-volumes'] },
  ]);
const planned = (e: Estate) => resolve(e.charters[0] as Charter, e);
const file = (e: Estate, path: string) =>
  bootKit({
    plan: planned(e),
    estate: e,
    secret: placeholder('plover'),
    installation: 'build 1',
    bootUrl: (h) => `http://praesidor.example/boot/${h}`,
    reportUrl: (h) => `http://praesidor.example/report/${h}`,
  }).find((f) => f.path === path)?.content ?? '';
const unit = (e: Estate, name: string) => file(e, `hosts/lr-01/root/etc/systemd/network/${name}`);

describe('a further network of a charter', () => {
  it('gives every node an address in a row, a name and a reservation; what is reserved already stays', () => {
    const e = withNetwork(
      {},
      kinds.Reservation.parse({
        kind: 'Reservation',
        address: '10.62.12.33',
        network: 'lr-volumes',
        owner: { kind: 'charter', name: 'plover', use: 'lr-volumes of lr-05' },
      }),
    );
    const p = planned(e);
    const of = (host: string) => p.nodes.find((n) => n.host === host)?.further?.[0]?.address;
    expect(of('lr-05')).toBe('10.62.12.33');
    // The five others: .10 to .14 of its pool for hosts.
    expect(
      p.nodes
        .filter((n) => n.host !== 'lr-05')
        .map((n) => n.further?.[0]?.address)
        .sort(),
    ).toEqual([10, 11, 12, 13, 14].map((n) => `10.62.12.${n}`));
    expect(p.reservations.filter((r) => r.network === 'lr-volumes').map((r) => r.name)).toContain(
      'lr-01-storage.lr.kestrelferries.example',
    );
    expect(p.problems).toEqual([]);
  });
  it('is tagged on what carries the machine network, for systemd-networkd and for netplan alike', () => {
    const e = withNetwork();
    expect(unit(e, '06-eno1.820.netdev')).toContain('Kind=vlan');
    expect(unit(e, '06-eno1.820.network')).toContain('Address=10.62.12.10/26');
    expect(unit(e, '10-machine.network')).toContain('VLAN=eno1.820');
    const plan = parse(file(e, 'hosts/lr-01/network-config')) as { network: { vlans: Record<string, object> } };
    expect(plan.network.vlans['eno1.820']).toMatchObject({
      id: 820,
      link: 'machine',
      addresses: ['10.62.12.10/26'],
      dhcp4: false,
    });
    // What comes first on the machine waits for it too.
    expect(file(e, 'hosts/lr-01/root/usr/local/sbin/praesidor-prepare')).toContain('eno1.820');
  });
  it('has an adapter of its own where a port is set up for it, and then its own MTU', () => {
    const e = withNetwork({ mtu: 9000 });
    const nic = { name: 'eno2', mac: '52:8a:1c:40:01:02', speedGbit: 25, link: true, vlans: [820] };
    e.hosts = e.hosts.map(
      (h): Host => (h.name === 'lr-01' && h.facts ? { ...h, facts: { ...h.facts, nics: [...h.facts.nics, nic] } } : h),
    );
    expect(planned(e).nodes.find((n) => n.host === 'lr-01')?.further).toEqual([
      {
        network: 'lr-volumes',
        address: '10.62.12.10',
        length: 26,
        vlan: 820,
        mtu: 9000,
        on: 'eno2',
        nic: 'eno2.820',
        adapter: { name: 'eno2', mac: nic.mac },
      },
    ]);
    expect(unit(e, '06-eno2.network')).toContain('VLAN=eno2.820');
    expect(unit(e, '06-eno2.link')).toContain('MTUBytes=9000');
    expect(unit(e, '10-machine.network')).not.toContain('VLAN=');
  });
  it('without room, or that is not there, is told with its place', () => {
    const full = withNetwork({ prefix: '10.62.12.0/30', pools: [] });
    expect(planned(full).problems).toEqual([
      expect.objectContaining({
        about: 'addresses',
        path: ['networks'],
        text: expect.stringContaining('lr-volumes has no free address left'),
      }),
    ]);
    const gone = applyEdits(goodEstate(), [
      { op: 'set', kind: 'Charter', key: 'plover', path: ['networks'], value: ['lr-volume'] },
    ]);
    expect(planned(gone).problems).toEqual([
      expect.objectContaining({ about: 'network', path: ['networks', 0], text: 'there is no network lr-volume at lr' }),
    ]);
  });
});
