import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../../../packages/core/test/estate.ts';
import { kinds } from '@praesidor/core/model';
import { clock, day, span, utc } from '../parts/time.ts';
import { describe as inRows } from './describe.ts';

const estate = goodEstate();

describe('an edit before it is made', () => {
  it('shows what stands and what will be', () => {
    expect(
      inRows(
        { op: 'set', kind: 'Charter', key: 'plover', path: ['servicePool', 'range'], value: '10.62.8.80-10.62.8.95' },
        estate,
      ),
    ).toEqual([{ what: 'Charter plover, servicePool.range', before: '10.62.8.64-10.62.8.79', after: '10.62.8.80-10.62.8.95' }]);
    expect(
      inRows({ op: 'set', kind: 'Charter', key: 'plover', path: ['overlay', 'mtu'], value: undefined }, estate)[0]?.after,
    ).toBe('follows');
  });
  it('shows lists of small things as words, and not as they are written', () => {
    const keeps = [
      { source: 'images.upstream.example', under: 'mirrored' },
      { source: 'own.example', under: 'own' },
    ];
    expect(inRows({ op: 'set', kind: 'Registry', key: 'lr-registry', path: ['keeps'], value: keeps }, estate)).toEqual([
      {
        what: 'Registry lr-registry, keeps',
        before: '—',
        after: 'source images.upstream.example, under mirrored; source own.example, under own',
      },
    ]);
  });
  it('shows a small thing with a list in it as words', () => {
    const uplink = { adapters: ['eno1', 'eno2'], bond: 'active-backup', tagged: true };
    expect(inRows({ op: 'set', kind: 'Host', key: 'lr-02', path: ['uplink'], value: uplink }, estate)).toEqual([
      { what: 'Host lr-02, uplink', before: '—', after: 'adapters eno1 + eno2, bond active-backup, tagged yes' },
    ]);
  });
  it('shows of a list what comes and what goes, at what it belongs to by name', () => {
    const [gate, other] = [
      { network: 'up', address: '10.62.0.2' },
      { network: 'desks', address: '10.62.40.1' },
    ];
    const gateway = kinds.Gateway.parse({
      kind: 'Gateway',
      name: 'gate',
      site: 'lr',
      members: [{ name: 'gate-a', interfaces: [gate, other] }],
    });
    const set = (value: object[]) =>
      inRows(
        { op: 'set', kind: 'Gateway', key: 'gate', path: ['members', 0, 'interfaces'], value },
        { ...estate, gateways: [gateway] },
      );
    const more = { network: 'own', address: '10.62.128.1' };
    const what = 'Gateway gate, gate-a.interfaces';
    expect(set([gate, other, more])).toEqual([{ what, before: '—', after: 'network own, address 10.62.128.1' }]);
    expect(set([gate])).toEqual([{ what, before: 'network desks, address 10.62.40.1', after: 'removed' }]);
    expect(set([gate, other])).toEqual([]);
    // Only in another order: both are shown whole.
    expect(set([other, gate])[0]?.before).toBe('network up, address 10.62.0.2; network desks, address 10.62.40.1');
  });
  it('says what is added and what is removed', () => {
    const record = kinds.Record.parse({
      kind: 'Record',
      zone: '8.62.10.in-addr.arpa',
      name: '61.8.62.10.in-addr.arpa',
      type: 'PTR',
      value: 'chart-plotter.lr.kestrelferries.example',
    });
    expect(inRows({ op: 'put', doc: record }, estate)).toEqual([
      {
        what: 'Record 61.8.62.10.in-addr.arpa PTR chart-plotter.lr.kestrelferries.example',
        before: '—',
        after: 'PTR chart-plotter.lr.kestrelferries.example',
      },
    ]);
    expect(inRows({ op: 'drop', kind: 'Reservation', key: 'lr-machine/10.62.8.53' }, estate)).toEqual([
      { what: 'Reservation lr-machine/10.62.8.53', before: 'stands', after: 'removed' },
    ]);
  });
});

describe('times', () => {
  it('a day has its year where that is another one', () => {
    const year = new Date().getFullYear();
    expect(day(`${year}-06-06T12:00:00Z`)).toBe('6 Jun');
    expect(day(`${year + 1}-06-06T12:00:00Z`)).toBe(`6 Jun ${year + 1}`);
  });
  it.each([
    [400, '0 s'],
    [41_000, '41 s'],
    [99_000, '99 s'],
    [385_000, '6 min 25 s'],
    [780_000, '13 min'],
    [4_320_000, '1 h 12 min'],
  ])('%d ms is %s', (ms, text) => {
    expect(span(ms)).toBe(text);
  });
  it('are in the zone of the site, with UTC beside', () => {
    expect(clock('2026-07-23T12:00:00Z', 'Europe/Lisbon')).toBe('13:00');
    expect(utc('2026-07-23T12:00:00Z')).toBe('2026-07-23 12:00:00 UTC');
  });
});
