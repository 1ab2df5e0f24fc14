import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { goodEstate, host } from '../../test/estate.ts';
import type { Facts, Site } from '../model/index.ts';
import { compareVersions, fitsCluster, isFree, judgeOf, portsOf, usualProfiles, zoneOf } from './index.ts';

const facts = (more: Partial<Facts> = {}): Facts => ({ ...(host(4).facts as Facts), ...more });
const judge = judgeOf(goodEstate());
const fitness = (f: Facts) => judge({ site: 'lr', facts: f });
const why = (f: Facts, role: string) => fitness(f).find((x) => x.role === role)?.reasons;

describe('fitness', () => {
  it('says nothing against a host that has everything', () => {
    const twice = facts().nics.concat({ name: 'eno2', mac: '52:8a:1c:40:00:f2', speedGbit: 25, link: true });
    for (const p of usualProfiles) expect(why(facts({ nics: twice, cores: 16 }), p.name)).toEqual([]);
  });
  it.each([
    ['cores', { cores: 6 }, 'worker', 'cores: 6, 8 asked'],
    ['memory', { memoryGiB: 12 }, 'control-plane', 'memory: 12 GiB, 16 GiB asked'],
    ['a second disk', { disks: [{ bay: 'bay 1', sizeGB: 480, media: 'nvme' }] }, 'worker', 'container disk: none, 200 GB asked'],
    [
      'a large enough disk',
      {
        disks: [
          { bay: '1', sizeGB: 480, media: 'nvme' },
          { bay: '2', sizeGB: 600, media: 'hdd' },
        ],
      },
      'registry',
      'image disk: 600 GB hdd, 1000 GB asked',
    ],
    [
      'a link',
      { nics: [{ name: 'eno1', mac: '52:8a:1c:40:00:01', speedGbit: 25, link: false }] },
      'worker',
      'link, machine net: no link, 10 Gbit/s asked',
    ],
    ['the boot mode', { bootMode: 'BIOS' }, 'control-plane', 'boot mode: BIOS, UEFI asked'],
  ] as const)('misses %s with its figure', (_, more, role, reason) => {
    expect(why(facts(more as Partial<Facts>), role)).toEqual([reason]);
  });
  it('gives every reason at once, and what would mend it', () => {
    const worker = fitness(facts({ cores: 2, memoryGiB: 4, disks: [] })).find((f) => f.role === 'worker');
    expect(worker?.reasons).toHaveLength(4); // cores, memory, system disk, container disk
    expect(worker?.lines.find((l) => l.label === 'container disk')?.mend).toBe('put a drive of 200 GB or more into a free bay');
  });
  it('a host that fits only as a registry fits no cluster', () => {
    expect(fitsCluster(fitness(facts({ bootMode: 'BIOS', disks: facts().disks.map((d) => ({ ...d, lifeLeft: 5 })) })))).toBe(
      false,
    );
    expect(fitsCluster(fitness(facts()))).toBe(true);
  });
  it('more of anything never makes a host unfit', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 64 }),
        fc.integer({ min: 0, max: 512 }),
        fc.integer({ min: 0, max: 4000 }),
        (cores, memoryGiB, gb) => {
          const f = facts({
            cores,
            memoryGiB,
            disks: [
              { bay: '1', sizeGB: 480, media: 'nvme' },
              { bay: '2', sizeGB: gb, media: 'nvme' },
            ],
          });
          const more = {
            ...f,
            cores: cores + 1,
            memoryGiB: memoryGiB + 1,
            disks: f.disks.map((d) => ({ ...d, sizeGB: d.sizeGB + 1 })),
          };
          fitness(f).forEach((x, i) => {
            if (x.fits) expect(fitness(more)[i]?.fits).toBe(true);
          });
        },
      ),
    );
  });
});

describe('what a profile may ask', () => {
  const own = { ...goodEstate(), profiles: [] as never[] };
  const with_ = (needs: object[]) =>
    judgeOf({
      ...own,
      profiles: [{ apiVersion: 'praesidor/v1', kind: 'Profile', name: 'storage', title: 'Storage', needs }] as never,
    });
  const reasons = (needs: object[], f: Facts) =>
    with_(needs)({ site: 'lr', facts: f }).find((x) => x.role === 'storage')?.reasons;
  it.each([
    [[{ fact: 'nvme', atLeast: 3 }], {}, ['NVMe disks: 2, 3 asked']],
    [[{ fact: 'arch', oneOf: ['arm64'] }], {}, ['architecture: x86-64, arm64 asked']],
    [[{ fact: 'links', atLeast: 2 }], {}, ['links: 1, 2 asked']],
    [[{ fact: 'health', oneOf: ['OK'] }], { health: 'Critical' }, ['health: Critical, OK asked']],
    [[{ fact: 'health', oneOf: ['OK'] }], {}, []], // not told is no reason
    [[{ fact: 'firmware' }], { firmware: { bmc: '4.10', system: '2.9' } }, ['firmware: system 2.9, ≥ 2.19 asked']],
    [[{ fact: 'disks', atLeast: 2 }], {}, []],
  ] as const)('%j of %j', (needs, more, said) => {
    expect(reasons(needs as never, facts(more as never))).toEqual(said);
  });
  it('an adapter counts for a network only where its VLAN is seen, and a port that tells nothing is believed', () => {
    const nic = (vlans: number[]) => ({
      nics: [
        { name: 'eno1', mac: '52:8a:1c:40:00:01', speedGbit: 25, link: true, vlans, neighbour: { name: 'sw1', port: 'Eth7' } },
      ],
    });
    const needs = [{ fact: 'network', purpose: 'machine', atLeast: 10 }];
    expect(reasons(needs, facts(nic([812])))).toEqual([]);
    expect(reasons(needs, facts(nic([])))).toEqual([]);
    expect(reasons(needs, facts(nic([811])))).toEqual(['link, machine net: VLAN 812 on no port, 10 Gbit/s asked']);
    const line = with_(needs as never)({ site: 'lr', facts: facts(nic([811])) }).find((x) => x.role === 'storage')?.lines[0];
    expect(line?.mend).toBe('allow VLAN 812 at sw1 Eth7');
  });
  it('ports know their networks by VLAN and by address', () => {
    const h = host(1, {
      facts: facts({
        nics: [
          {
            name: 'eno1',
            mac: '52:8a:1c:40:00:01',
            speedGbit: 25,
            link: true,
            vlans: [811],
            neighbour: { name: 'sw1', port: '7' },
          },
        ],
      }),
    });
    const reservations = [
      {
        apiVersion: 'praesidor/v1',
        kind: 'Reservation',
        address: '10.62.8.40',
        network: 'lr-machine',
        mac: '52:8a:1c:40:00:01',
        owner: { kind: 'hand', name: 'x' },
        origin: 'by-hand',
      },
    ] as never;
    expect(portsOf(h, { networks: goodEstate().networks, reservations })[0]?.networks).toEqual([
      { name: 'lr-bmc', by: 'VLAN' },
      { name: 'lr-machine', by: 'address', address: '10.62.8.40' },
    ]);
  });
});

describe('free for a charter', () => {
  it.each([
    ['fit', undefined, true],
    ['listed', undefined, true],
    ['serving', undefined, false],
    ['retired', undefined, false],
    ['held', 'plover', true],
    ['serving', 'plover', true],
    ['held', 'tern', false],
  ] as const)('%s, held for %s: %s', (state, charter, free) => {
    expect(isFree(host(1, { state, ...(charter ? { held: { charter, role: 'worker' } } : {}) }), 'plover')).toBe(free);
  });
  it('not without facts', () => {
    const { facts: _, ...bare } = host(1);
    expect(isFree(bare, 'plover')).toBe(false);
  });
});

describe('places and versions', () => {
  const site = {
    ...(goodEstate().sites[0] as Site),
    zones: [
      { name: 'A', rack: 'R1', from: 26, to: 42 },
      { name: 'B', rack: 'R1', from: 1, to: 25 },
      { name: 'C', rack: 'R2' },
    ],
  };
  it.each([
    ['R1', 30, 'A'],
    ['R1', 25, 'B'],
    ['R2', 7, 'C'],
    ['R3', 7, 'R3'],
    [undefined, undefined, undefined],
  ] as const)('%s u%s is zone %s', (rack, unit, zone) => {
    expect(zoneOf(site, rack, unit)).toBe(zone);
  });
  it.each([
    ['2.9', '2.19', -1],
    ['2.19', '2.19', 0],
    ['2.21', '2.19', 1],
    ['3', '2.99.1', 1],
    ['2.19.1', '2.19', 1],
  ])('%s against %s', (a, b, sign) => {
    expect(Math.sign(compareVersions(a, b))).toBe(sign);
  });
});
