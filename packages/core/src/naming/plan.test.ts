import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { applyEdits, type Estate, kinds } from '../model/index.ts';
import { View } from '../reading/index.ts';
import { plannedAt, plannedIn, plannedRecords, zoneNameOf } from './plan.ts';

const zone = (name: string) =>
  kinds.Zone.parse({
    kind: 'Zone',
    name,
    site: 'lr',
    primary: '10.62.8.53',
    servers: ['ns1.lr.kestrelferries.example'],
    contact: 'hostmaster.kestrelferries.example',
    key: 'lr-dns',
  });
const put = (e: Estate, ...docs: object[]) =>
  applyEdits(
    e,
    docs.map((doc) => ({ op: 'put' as const, doc: doc as never })),
  );
const reserved = (address: string, name: string) =>
  kinds.Reservation.parse({ kind: 'Reservation', address, network: 'lr-machine', name, owner: { kind: 'hand', name: 'desk' } });
const said = (e: Estate, name: string) =>
  plannedIn(new View(e), name)
    .map((r) => `${r.name} ${r.type} ${r.value}`)
    .sort();

describe('what the plan asks of a zone', () => {
  it('is its name servers, and of each named reservation the way there or back', () => {
    const e = goodEstate();
    expect(said(e, 'lr.kestrelferries.example')).toEqual([
      'lr.kestrelferries.example NS ns1.lr.kestrelferries.example',
      'ns1.lr.kestrelferries.example A 10.62.8.53',
      'registry.lr.kestrelferries.example A 10.62.8.62',
    ]);
    expect(said(e, '8.62.10.in-addr.arpa')).toEqual([
      '53.8.62.10.in-addr.arpa PTR ns1.lr.kestrelferries.example',
      '62.8.62.10.in-addr.arpa PTR registry.lr.kestrelferries.example',
      '8.62.10.in-addr.arpa NS ns1.lr.kestrelferries.example',
    ]);
    expect(said(e, 'nobody.example')).toEqual([]);
  });
  it('below a /24 lies in the zone below, and the zone above only leads there (RFC 2317)', () => {
    const e = put(goodEstate(), zone('48-63.8.62.10.in-addr.arpa'));
    expect(said(e, '48-63.8.62.10.in-addr.arpa')).toEqual([
      '48-63.8.62.10.in-addr.arpa NS ns1.lr.kestrelferries.example',
      '53.48-63.8.62.10.in-addr.arpa PTR ns1.lr.kestrelferries.example',
      '62.48-63.8.62.10.in-addr.arpa PTR registry.lr.kestrelferries.example',
    ]);
    expect(said(e, '8.62.10.in-addr.arpa')).toEqual([
      '48-63.8.62.10.in-addr.arpa NS ns1.lr.kestrelferries.example',
      '53.8.62.10.in-addr.arpa CNAME 53.48-63.8.62.10.in-addr.arpa',
      '62.8.62.10.in-addr.arpa CNAME 62.48-63.8.62.10.in-addr.arpa',
      '8.62.10.in-addr.arpa NS ns1.lr.kestrelferries.example',
    ]);
  });
  it('goes to the longest zone, also where a name is that of a zone; a wildcard has no way back', () => {
    const e = put(
      goodEstate(),
      zone('deck.lr.kestrelferries.example'),
      reserved('10.62.8.90', 'deck.lr.kestrelferries.example'),
      reserved('10.62.8.91', 'a.deck.lr.kestrelferries.example'),
      reserved('10.62.8.92', '*.deck.lr.kestrelferries.example'),
    );
    expect(said(e, 'deck.lr.kestrelferries.example').filter((r) => / A /.test(r))).toEqual([
      '*.deck.lr.kestrelferries.example A 10.62.8.92',
      'a.deck.lr.kestrelferries.example A 10.62.8.91',
      'deck.lr.kestrelferries.example A 10.62.8.90',
    ]);
    expect(said(e, 'lr.kestrelferries.example').filter((r) => r.includes('deck'))).toEqual([]);
    expect(said(e, '8.62.10.in-addr.arpa').filter((r) => r.includes('92.8'))).toEqual([]);
    expect(zoneNameOf(new View(e))('x.a.deck.lr.kestrelferries.example')).toBe('deck.lr.kestrelferries.example');
  });
  it('of IPv6 stands by nibbles, wherever the zone is cut', () => {
    for (const name of [
      '0.0.0.0.2.6.0.0.0.0.d.f.ip6.arpa',
      '8.0.0.0.0.0.0.0.2.6.0.0.0.0.d.f.ip6.arpa',
      '0.0.0.0.8.0.0.0.0.0.0.0.2.6.0.0.0.0.d.f.ip6.arpa',
    ]) {
      const e = put(goodEstate(), zone(name), reserved('fd00:62:0:8::5', 'six.lr.kestrelferries.example'));
      expect([name, said(e, name).filter((r) => r.includes('PTR'))]).toEqual([
        name,
        [`5.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.8.0.0.0.0.0.0.0.2.6.0.0.0.0.d.f.ip6.arpa PTR six.lr.kestrelferries.example`],
      ]);
      expect(said(e, 'lr.kestrelferries.example')).toContain('six.lr.kestrelferries.example AAAA fd00:62:0:8::5');
    }
  });
  it('is found by its name, and all of it zone by zone', () => {
    const view = new View(goodEstate());
    expect(plannedAt(view, 'lr.kestrelferries.example', 'ns1.lr.kestrelferries.example').map((r) => r.type)).toEqual(['A']);
    expect(plannedRecords(view).length).toBe(view.all('Zone').reduce((n, z) => n + plannedIn(view, z.name).length, 0));
  });
});
