import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { readHosts } from './index.ts';
import { readDisks, readLink, readMemory, readUnit } from './sizes.ts';

describe('sizes as people write them', () => {
  it.each([
    [
      '480GB ssd; 1.9TB nvme',
      [
        [480, 'ssd'],
        [1900, 'nvme'],
      ],
    ],
    ['480 1920', [[480], [1920]]],
    [
      '2x960 NVMe',
      [
        [960, 'nvme'],
        [960, 'nvme'],
      ],
    ],
    [
      '2 × 480 GB SATA SSD + 4 x 3.84 TB U.2 NVMe',
      [
        [480, 'ssd'],
        [480, 'ssd'],
        [3840, 'nvme'],
        [3840, 'nvme'],
        [3840, 'nvme'],
        [3840, 'nvme'],
      ],
    ],
    ['1T', [[1000]]],
    [
      '600 GB SAS 10k rpm and 480 ssd',
      [
        [600, 'hdd'],
        [480, 'ssd'],
      ],
    ],
    ['', []],
  ])('disks %j', (text, disks) => {
    expect(readDisks(text)).toEqual({ disks: disks.map(([sizeGB, media]) => ({ sizeGB, ...(media ? { media } : {}) })) });
  });
  it.each(['big', '480 GBP', '480 GB of something', '-3', '1..2', '480GB ssd; ?'])(
    '%j is no list of disks, and says which part',
    (text) => {
      expect(readDisks(text).wrong).toBeTruthy();
    },
  );
  it.each([
    ['128', 128],
    ['128 GiB', 128],
    // Modules are called GB and made in powers of two (JEDEC JESD100B.01).
    ['128GB', 128],
    ['8 x 16 GB', 128],
    ['0.5 TB', 512],
    ['131072 MB', 128],
    ['lots', undefined],
  ])('memory %j is %j GiB', (text, n) => expect(readMemory(text)).toBe(n));
  it.each([
    ['12', 12],
    ['U12', 12],
    ['12U', 12],
    ['12-13', 12],
    ['U13–U12', 12],
    ['top', undefined],
  ])('unit %j is %j', (text, n) => expect(readUnit(text)).toBe(n));
  it.each([
    ['25', 25],
    ['25G', 25],
    ['25 Gbit/s', 25],
    ['2 x 25 GbE', 25],
    ['1000 Mbit/s', 1],
    ['fast', undefined],
  ])('link %j is %j Gbit/s', (text, n) => expect(readLink(text)).toBe(n));
  it('nothing that is typed gives a size that is no number', () => {
    fc.assert(
      fc.property(fc.string(), (text) => {
        for (const d of readDisks(text).disks) expect(Number.isFinite(d.sizeGB)).toBe(true);
        for (const n of [readMemory(text), readUnit(text), readLink(text)])
          if (n !== undefined) expect(Number.isFinite(n)).toBe(true);
      }),
    );
  });
});

describe('a table as people head it', () => {
  const { sites } = goodEstate();
  const now = '2026-11-28T00:00:00Z';
  const table = `Asset name;Rack position;OOB IP;S/N;CPU cores;RAM (GB);Disks;MAC addresses;Link speed;Owner
lr-21;U12;10.62.7.33;HW70021L;32;128;480GB ssd + 1.9TB nvme;52-8a-1c-40-21-01;25G;vessel traffic
`;
  it('reads the headers and the sizes, and says how it understood each column', () => {
    const p = readHosts(table, sites, [], now);
    expect(p.lines).toMatchObject([{ what: 'new', name: 'lr-21' }]);
    expect(p.lines[0]?.doc).toMatchObject({ unit: 12, bmc: { address: '10.62.7.33' } });
    expect(p.lines[0]?.doc?.facts).toMatchObject({
      serial: 'HW70021L',
      cores: 32,
      memoryGiB: 128,
      disks: [
        { sizeGB: 480, media: 'ssd' },
        { sizeGB: 1900, media: 'nvme' },
      ],
      nics: [{ mac: '52:8a:1c:40:21:01', speedGbit: 25 }],
    });
    expect(p.columns.map((c) => [c.header, c.field, c.reads])).toEqual([
      ['Asset name', 'name', undefined],
      ['Rack position', 'unit', '12'],
      ['OOB IP', 'bmc address', undefined],
      ['S/N', 'serial', undefined],
      ['CPU cores', 'cores', undefined],
      ['RAM (GB)', 'memory gib', '128 GiB'],
      ['Disks', 'disks gb', '480 GB ssd + 1.9 TB nvme'],
      ['MAC addresses', 'macs', '1 MAC'],
      ['Link speed', 'link gbit', '25 Gbit/s'],
      ['Owner', undefined, undefined],
    ]);
  });
  it('a column is read as somebody chose, and one that is not to be read is left alone', () => {
    const p = readHosts('host;size;disks\nlr-21;64;480', sites, [], now, undefined, { size: 'memory gib', disks: '' });
    expect(p.columns.map((c) => [c.field, c.chosen])).toEqual([
      ['name', undefined],
      ['memory gib', true],
      [undefined, true],
    ]);
    expect(p.lines[0]?.doc?.facts).toMatchObject({ memoryGiB: 64, disks: [] });
  });
  it('a size that is none is wrong in its line, with what to write', () => {
    const p = readHosts('name,disks\nlr-21,many', sites, [], now);
    expect(p.lines[0]).toMatchObject({
      what: 'wrong',
      message: 'disks gb: "many" is not a size; write it like 480 GB ssd; 1.9 TB nvme',
    });
  });
});
