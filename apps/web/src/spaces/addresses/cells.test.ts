import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../../../../packages/core/test/estate.ts';
import { applyEdits, type Network } from '@praesidor/core/model';
import { cellsOf, isInside } from './cells.ts';

const estate = goodEstate();
const machine = estate.networks.find((n) => n.name === 'lr-machine') as Network;
const kind = (address: string, e = estate) =>
  cellsOf(e.networks.find((n) => n.name === 'lr-machine') as Network, e).find((c) => c.address === address)?.kind;

describe('the map of a prefix', () => {
  it('has a cell for every address', () => {
    expect(cellsOf(machine, estate)).toHaveLength(128);
  });
  it.each([
    ['10.62.8.0', 'end'],
    ['10.62.8.1', 'gateway'],
    ['10.62.8.2', 'free'],
    ['10.62.8.20', 'virtual-pool'],
    ['10.62.8.53', 'hand'],
    ['10.62.8.64', 'pool'],
    ['10.62.8.100', 'dhcp'],
    ['10.62.8.127', 'end'],
  ])('%s is %s', (address, is) => {
    expect(kind(address)).toBe(is);
  });
  it('shows what two things claim, and says which', () => {
    const moved = applyEdits(estate, [
      { op: 'set', kind: 'Charter', key: 'plover', path: ['servicePool', 'range'], value: '10.62.8.96-10.62.8.111' },
    ]);
    expect(['10.62.8.99', '10.62.8.100', '10.62.8.111', '10.62.8.112'].map((a) => kind(a, moved))).toEqual([
      'pool',
      'twice',
      'twice',
      'dhcp',
    ]);
    expect(cellsOf(machine, moved).find((c) => c.address === '10.62.8.105')?.says).toBe(
      '10.62.8.105: DHCP scope lease and service pool of plover: claimed twice',
    );
  });
  it('draws no cells for what is too large, or IPv6', () => {
    expect(cellsOf({ ...machine, prefix: '10.0.0.0/16' }, estate)).toEqual([]);
    expect(cellsOf({ ...machine, prefix: 'fd00::/120' }, estate)).toEqual([]);
  });
});

it('knows what lies inside', () => {
  expect([isInside(machine, '10.62.8.9'), isInside(machine, '10.62.9.9'), isInside(machine, 'nonsense')]).toEqual([
    true,
    false,
    false,
  ]);
});
