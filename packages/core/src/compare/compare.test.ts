import { describe, expect, it } from 'vitest';
import { demoEstate } from '../../../../bench/demo-estate.ts';
import { applyEdits, type Edit, kinds } from '../model/index.ts';
import { viewOf } from '../reading/index.ts';
import { readSites } from '../sites/index.ts';
import { compareClusters, compareSites } from './index.ts';

const demo = demoEstate();
const made = readSites(viewOf(demo), { text: 'site,title\navo,MV Avocet', like: 'ptl' }).sites[0]?.docs ?? [];
const estate = applyEdits(
  demo,
  made.map((doc) => ({ op: 'put', doc })),
);
const sites = (edits: readonly Edit[] = [], one = 'ptl', other = 'avo') =>
  compareSites(viewOf(applyEdits(estate, edits)), one, other, []);

describe('two sites side by side', () => {
  it('do not differ where one was made like the other: names and addresses go with the site', () => {
    expect(sites()?.differ).toEqual([]);
    expect(sites()?.sums).toContainEqual({ label: 'Networks', one: '2', other: '2' });
    expect(sites()?.sums).toContainEqual({ label: 'Hosts', one: '3 serving', other: '3 listed' });
  });
  it('differ in the field that was set otherwise, at the address it would have', () => {
    const set = (kind: 'Network' | 'Site', key: string, path: string[], value: unknown): Edit => ({
      op: 'set',
      kind,
      key,
      path,
      value,
    });
    const s = sites([
      set('Network', 'avo-machine', ['mtu'], 9000),
      set('Network', 'avo-machine', ['gateway'], '10.70.9.2'),
      set('Site', 'avo', ['reach'], 'open'),
      { op: 'drop', kind: 'Network', key: 'avo-bmc' },
    ]);
    // 10.70.1.1 of 10.70.0.0/21 is 10.70.9.1 of 10.70.8.0/21, whatever else is left there.
    expect(s?.differ.map((d) => [d.kind, d.of, d.label, d.one, d.other])).toEqual([
      ['Site', 'avo', 'Reach', 'thin', 'open'],
      ['Network', 'avo-bmc', '', 'is there', 'is not there'],
      ['Network', 'avo-machine', 'Gateway', '10.70.9.1', '10.70.9.2'],
      ['Network', 'avo-machine', 'MTU', '1500', '9000'],
    ]);
  });
  it('differ in what only the second has', () => {
    const doc = kinds.Network.parse({
      kind: 'Network',
      name: 'avo-store',
      site: 'avo',
      purpose: 'storage',
      prefix: '10.70.10.0/26',
    });
    expect(sites([{ op: 'put', doc }])?.differ.map((d) => [d.kind, d.of, d.one, d.other])).toEqual([
      ['Network', 'avo-store', 'is not there', 'is there'],
    ]);
  });
  it('of the demonstration differ in what was declared otherwise, and in nothing else', () => {
    // MV Dunlin takes its time from a service of its own cluster.
    expect(compareSites(viewOf(demo), 'ptl', 'dnl', [])?.differ.map((d) => [d.of, d.label, d.one, d.other])).toEqual([
      ['dnl', 'Time servers', '10.71.0.60', '10.71.1.23'],
    ]);
  });
  it('are nothing where one is not there', () => {
    expect([sites([], 'ptl', 'nowhere'), compareClusters(viewOf(demo), 'petrel', 'nobody')]).toEqual([undefined, undefined]);
  });
});

describe('two clusters side by side', () => {
  it('differ in what is set otherwise, beyond the addresses that go with their sites', () => {
    const c = compareClusters(viewOf(demo), 'petrel', 'dunlin');
    expect(c?.differ.map((d) => [d.one, d.other])).toEqual([
      ['3', '2'],
      ['10.145.0.0/20', '10.145.16.0/20'],
      ['0', '1'],
    ]);
    expect(c?.sums).toContainEqual({ label: 'Template', one: 'ship-edge, version 6', other: 'ship-edge, version 6' });
    expect(c?.follows.find((f) => f.label === 'API')).toMatchObject({ one: expect.stringContaining('10.70.1.4') });
  });
  it('of one site are compared as they stand', () => {
    const c = compareClusters(viewOf(demo), 'tern', 'gannet');
    expect(c?.differ.some((d) => d.label && d.one !== d.other)).toBe(true);
    expect(compareClusters(viewOf(demo), 'tern', 'tern')?.differ).toEqual([]);
  });
});
