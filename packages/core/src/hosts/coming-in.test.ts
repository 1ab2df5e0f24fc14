import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { goodEstate, host } from '../../test/estate.ts';
import type { Facts, Host } from '../model/index.ts';
import { changesOf, duplicates, merged, readHosts, writeHosts } from './index.ts';

const now = '2026-11-23T09:00:00Z';
const estate = goodEstate();
const read = (text: string, standing: readonly Host[] = []) => readHosts(text, estate.sites, standing, now);

describe('hosts out of a table', () => {
  it('are found by headers as people write them, with units and MACs as people type them', () => {
    const p = read(
      'Hostname;Rack;U;BMC IP;RAM;CPU cores;Drives;MAC addresses;Link\nlr-20;R1;u7;10.62.7.30;128 GiB;32;480 1920;52-8A-1C-40-20-01 528a.1c40.2002;25 Gbit/s',
    );
    expect(p.lines).toMatchObject([{ line: 2, what: 'new', name: 'lr-20' }]);
    expect(p.lines[0]?.doc).toMatchObject({
      site: 'lr',
      state: 'listed',
      rack: 'R1',
      unit: 7,
      bmc: { address: '10.62.7.30', credential: 'bmc-lr' },
      facts: {
        source: 'imported',
        memoryGiB: 128,
        cores: 32,
        disks: [{ sizeGB: 480 }, { sizeGB: 1920 }],
        nics: [{ mac: '52:8a:1c:40:20:01', speedGbit: 25, link: true }, { mac: '52:8a:1c:40:20:02' }],
      },
    });
  });
  it.each([
    ['name,site\nlr-20,nowhere', 'there is no site nowhere'],
    ['name,unit\nlr-20,high', 'unit: "high" is not a number'],
    ['name,bmc\nlr-20,ten', '"ten" is not an address for its controller'],
    ['name,mac\nlr-20,zz', 'a MAC is six pairs of hex digits'],
    ['name\nno name', 'a name is lower-case letters'],
    ['name\nlr-20\nlr-20', 'lr-20 is in line 2 already'],
    ['name,rack\nlr-20,R1,x', 'the line has 3 cells and the head 2'],
  ])('%j is wrong at its line: %s', (text, why) => {
    const p = read(text);
    expect(p.counts.wrong).toBe(1);
    expect(p.lines.find((l) => l.what === 'wrong')?.message).toContain(why);
  });
  it('a machine we have under another name is told, by what it shows', () => {
    const p = read(
      'name,serial,bmc\nnew-1,HW3,10.62.7.99\nnew-2,X1,10.62.7.14\nnew-3,X2,10.62.7.98',
      [1, 2, 3, 4].map((i) => host(i)),
    );
    expect(p.lines.map((l) => [l.what, l.double, l.message])).toEqual([
      ['double', 'lr-03', "serial HW3 is lr-03's"],
      ['double', 'lr-04', "controller 10.62.7.14 is lr-04's"],
      ['new', undefined, ''],
    ]);
  });
  it('keeps what was read over the controller, the state, the promise and the fingerprint', () => {
    const before = host(4, { state: 'held', held: { charter: 'plover', role: 'worker' } });
    const p = read('name,rack,unit,cores,memory\nlr-04,R1,9,2,4', [before]);
    expect(p.lines[0]).toMatchObject({ what: 'changed', message: 'unit: 8 → 9' });
    expect(p.lines[0]?.doc).toEqual({ ...before, unit: 9 });
  });
  it('what goes out comes in again and changes nothing', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.record({
            n: fc.integer({ min: 1, max: 90 }),
            unit: fc.option(fc.integer({ min: 1, max: 42 }), { nil: undefined }),
            cores: fc.integer({ min: 0, max: 128 }),
            disks: fc.array(fc.integer({ min: 1, max: 9000 }), { maxLength: 4 }),
            bmc: fc.boolean(),
          }),
          { maxLength: 12 },
        ),
        (list) => {
          const hosts = [...new Map(list.map((x) => [x.n, x])).values()].map((x) => {
            const h = host(x.n, {
              unit: x.unit as number,
              facts: {
                ...(host(x.n).facts as Facts),
                source: 'imported',
                cores: x.cores,
                disks: x.disks.map((sizeGB, i) => ({ bay: `bay ${i + 1}`, sizeGB, media: 'nvme' })),
              },
            });
            if (x.unit === undefined) delete h.unit;
            if (!x.bmc) delete h.bmc;
            return h;
          });
          const p = read(writeHosts(hosts), hosts);
          expect(p.lines.filter((l) => l.what !== 'same')).toEqual([]);
          for (const l of p.lines) expect(l.doc).toEqual(hosts.find((h) => h.name === l.name));
        },
      ),
    );
  });
});

describe('one machine entered twice', () => {
  it('is found by serial, controller or MAC, each group once, through others too', () => {
    const twin = { ...host(9), facts: { ...(host(9).facts as Facts), serial: 'HW1' } };
    const third = { ...host(8), bmc: { address: '10.62.7.19', credential: 'x' } }; // lr-09's controller
    expect(duplicates([host(1), host(2), twin, third])).toEqual([
      {
        hosts: ['lr-01', 'lr-09', 'lr-08'],
        by: [
          { mark: 'serial', value: 'HW1' },
          { mark: 'BMC', value: '10.62.7.19' },
        ],
      },
    ]);
    expect(duplicates([host(1), { ...host(1), name: 'old', state: 'retired' }])).toEqual([]);
  });
  it('is made one: what is kept stays, what it lacks comes from the other, facts are the later ones', () => {
    const { rack: _, ...bare } = host(1);
    const later = { ...(host(1).facts as Facts), at: '2026-11-22T09:00:00Z', cores: 64 };
    const m = merged(bare as Host, { ...host(1), name: 'other', facts: later, held: { charter: 'tern', role: 'worker' } });
    expect(m).toMatchObject({ name: 'lr-01', rack: 'R1', facts: { cores: 64 } });
    expect(m.held).toBeUndefined();
  });
});

describe('what changed since last time', () => {
  const f = host(4).facts as Facts;
  const nic = (more: object) => ({ ...f, nics: [{ ...(f.nics[0] as Facts['nics'][number]), ...more }] });
  const disks = (...serials: string[]) => ({ ...f, disks: f.disks.map((d, i) => ({ ...d, serial: serials[i] as string })) });
  const sw = (port: string) => ({ neighbour: { name: 'sw1', port } });
  it.each([
    [f, { ...f, at: 'later', power: 'On' }, []],
    [disks('A', 'B'), disks('A', 'C'), ['disk bay 2: swapped, 1.9 TB B → 1.9 TB C']],
    [f, { ...f, disks: f.disks.slice(0, 1) }, ['disk bay 2: the drive of 1.9 TB is gone']],
    [f, { ...f, disks: [...f.disks, { bay: 'bay 3', sizeGB: 960, media: 'ssd' }] }, ['disk bay 3: a drive of 960 GB is new']],
    [nic(sw('Eth7')), nic(sw('Eth9')), ['cable eno1: moved from sw1 Eth7 to sw1 Eth9']],
    [nic({}), nic({ link: false }), ['cable eno1: lost its link']],
    [nic({}), nic({ speedGbit: 10 }), ['cable eno1: 25 → 10 Gbit/s']],
    [f, { ...f, memoryGiB: 96 }, ['memory 128 GiB → 96 GiB']],
    [f, { ...f, firmware: { ...f.firmware, system: '2.22' } }, ['firmware system 2.21 → 2.22']],
    [f, { ...f, serial: 'HW99' }, ['board serial HW4 → HW99']],
    [{ ...f, health: 'OK' }, { ...f, health: 'Warning' }, ['health health OK → Warning']],
    [f, nic({ mac: '52:8a:1c:40:00:ff' }), ['adapter eno1 52:8a:1c:40:00:04 is gone', 'adapter eno1 52:8a:1c:40:00:ff is new']],
  ] as [Facts, Facts, string[]][])('case %#', (before, after, said) => {
    expect(changesOf(before, after).map((c) => `${c.what} ${c.text}`)).toEqual(said);
  });
});
