import { applyEdits, kinds, type Network } from '@praesidor/core/model';
import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../../../../packages/core/test/estate.ts';
import { layoutOf } from './map-layout.ts';
import { cellKinds, mapOf, runsOf } from './map-model.ts';

const estate = goodEstate();
const machine = estate.networks.find((n) => n.name === 'lr-machine') as Network;
const of = (e = estate) => mapOf(e.networks.find((n) => n.name === 'lr-machine') as Network, e);
const kind = (address: string, e = estate) => cellKinds[of(e)?.kinds[of(e)?.cellOf(address) ?? 0] ?? 0];

describe('the map of a prefix', () => {
  it('has a cell for every address', () => {
    expect(of()?.kinds).toHaveLength(128);
  });
  it.each([
    ['10.62.8.0', 'end'],
    ['10.62.8.1', 'gateway'],
    ['10.62.8.2', 'free'],
    ['10.62.8.20', 'aside'],
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
    const m = of(moved);
    expect(m?.says(m.cellOf('10.62.8.105'))).toBe('10.62.8.105: DHCP scope lease and service pool of plover: claimed twice');
  });
  it('shows the members of gateways, and a service at an address of its own pool as claimed once', () => {
    const e = {
      ...estate,
      gateways: [
        kinds.Gateway.parse({
          kind: 'Gateway',
          name: 'gate',
          site: 'lr',
          addresses: [{ network: 'lr-machine', address: '10.62.8.1', id: 1 }],
          members: [{ name: 'gate-a', interfaces: [{ network: 'lr-machine', address: '10.62.8.125' }] }],
        }),
      ],
      reservations: [
        ...estate.reservations,
        kinds.Reservation.parse({
          kind: 'Reservation',
          network: 'lr-machine',
          address: '10.62.8.64',
          owner: { kind: 'charter', name: 'plover', use: 'service default/radar-archive' },
          origin: 'follows',
        }),
      ],
    };
    expect(['10.62.8.125', '10.62.8.1', '10.62.8.64', '10.62.8.65'].map((a) => kind(a, e))).toEqual([
      'gateway',
      'gateway',
      'virtual',
      'pool',
    ]);
    const m = of(e);
    expect(m?.says(m.cellOf('10.62.8.125'))).toBe('10.62.8.125: gate-a');
    expect(m?.says(m.cellOf('10.62.8.1'))).toBe('10.62.8.1: gateway (gate)');
  });
  it('shows what rests and what was carved out', () => {
    const e = {
      ...estate,
      reservations: [
        ...estate.reservations,
        kinds.Reservation.parse({
          kind: 'Reservation',
          network: 'lr-machine',
          address: '10.62.8.90',
          owner: { kind: 'hand', name: 'desk' },
          resting: true,
          until: '2026-12-01T00:00:00Z',
        }),
      ],
      networks: [
        ...estate.networks,
        kinds.Network.parse({
          kind: 'Network',
          name: 'lr-dock',
          site: 'lr',
          purpose: 'machine',
          prefix: '10.62.8.80/29',
          parent: 'lr-machine',
        }),
      ],
    };
    expect([kind('10.62.8.90', e), kind('10.62.8.83', e)]).toEqual(['resting', 'carved']);
    expect(of(e)?.says(90)).toBe('10.62.8.90: desk, resting until 2026-12-01');
  });
  it('has every address of a /16, and blocks of what is larger', () => {
    expect(mapOf({ ...machine, prefix: '10.0.0.0/16', dhcp: [], pools: [], gateway: undefined }, estate)?.kinds).toHaveLength(
      65_536,
    );
    const large = mapOf({ ...machine, prefix: '10.0.0.0/8', dhcp: [], pools: [], gateway: undefined }, estate);
    expect([large?.kinds.length, large?.scale, large?.addressOf(1)]).toEqual([1024, 16_384n, '10.0.64.0']);
  });
  it('has runs for IPv6, with the gaps between them', () => {
    const v6 = kinds.Network.parse({
      kind: 'Network',
      name: 'six',
      site: 'lr',
      purpose: 'machine',
      prefix: 'fd00:62::/64',
      gateway: 'fd00:62::1',
      dhcp: [{ name: 'lease', range: 'fd00:62::1000-fd00:62::1fff' }],
    }) as Network;
    const r = (address: string) =>
      kinds.Reservation.parse({ kind: 'Reservation', network: 'six', address, owner: { kind: 'hand', name: 'desk' } });
    expect(mapOf(v6, estate)).toBeUndefined();
    expect(runsOf(v6, { ...estate, reservations: [r('fd00:62::2'), r('fd00:62::9')] })).toEqual([
      { from: 'fd00:62::1', to: 'fd00:62::2', count: 2n, what: 'gateway, desk', gap: 1n },
      { from: 'fd00:62::9', to: 'fd00:62::9', count: 1n, what: 'desk', gap: 6n },
      { from: 'fd00:62::1000', to: 'fd00:62::1fff', count: 4096n, what: 'DHCP scope lease', gap: 0xff6n },
    ]);
  });
});

describe('where the cells lie', () => {
  it.each([16, 128, 256, 1024, 4096, 65_536])('a point in a cell of %i is found to be that cell', (count) => {
    const layout = layoutOf(count, 706);
    for (let i = 0; i < count; i += Math.max(1, Math.floor(count / 997))) {
      const { x, y } = layout.place(i);
      expect(layout.hit(x + layout.cell.w / 2, y + layout.cell.h / 2)).toBe(i);
      expect(x + layout.cell.w <= 706 && y + layout.cell.h <= layout.height).toBe(true);
    }
    expect(layout.hit(3, 3)).toBe(-1);
    expect(layout.hit(700, layout.height + 50)).toBe(-1);
  });
});
