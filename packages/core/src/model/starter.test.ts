import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { parseIp } from '../address/parse.ts';
import { openIn } from '../ledger/open.ts';
import { against, creatableKinds, type Charter, emptyEstate, kinds, type Network, readDocuments, starterText } from './index.ts';

const now = '2026-11-23T09:00:00Z';
const read = (text: string) => readDocuments(text);

describe('text to begin with', () => {
  it.each(creatableKinds)('a %s in an empty estate lacks only what the person must say', (kind) => {
    const { faults } = read(starterText(kind, emptyEstate(now)));
    for (const f of faults)
      expect(f.message).toMatch(/missing|write it like|such as|a DNS name has|major.minor.patch|at least 1/);
  });
  it('a network beside another has the next free prefix, VLAN and gateway', () => {
    // lr-machine is 10.62.8.0/25 with VLAN 812; 814 and 815 are taken, 813 is not.
    const doc = read(starterText('Network', goodEstate(), 'lr')).docs[0]?.doc as Network;
    expect([doc.prefix, doc.gateway, doc.vlan, doc.site]).toEqual(['10.62.8.128/25', '10.62.8.129', 813, 'lr']);
  });
  it('a charter beside another keeps its choices and overlaps none of its ranges', () => {
    const estate = goodEstate();
    const doc = read(starterText('Charter', estate, 'lr')).docs[0]?.doc as Charter;
    expect([doc.name, doc.release, doc.mirror, doc.controlPlane.count]).toEqual(['lr-cluster', '1.34.2', 'lr-registry', 3]);
    // plover has pods 10.128.0.0/16 and services 10.129.0.0/18: the next /16 that is free is 10.130, and then 10.129.64.0/18
    expect([doc.pods.range, doc.services.range]).toEqual(['10.130.0.0/16', '10.129.64.0/18']);
    expect(doc.servicePool).toBeUndefined();
  });
  it('a site comes with its networks and its zone, asked once', () => {
    const { faults } = read(starterText('Site', emptyEstate(now)));
    // What nobody but the person knows: a title, a domain, two prefixes, and of the zone what follows from the site.
    expect(faults.map((f) => f.path).sort()).toEqual([
      'contact',
      'contact',
      'domain',
      'name',
      'prefix',
      'prefix',
      'primary',
      'primary',
      'servers',
      'servers',
      'title',
    ]);
  });
  it('a reservation has the next free address, and what somebody came for', () => {
    const estate = goodEstate();
    const text = starterText('Reservation', estate, 'lr', { network: 'lr-machine' });
    const { docs, faults } = read(text);
    expect(faults.map((f) => f.path)).toEqual([]);
    const doc = docs[0]?.doc as { address: string };
    expect(estate.reservations.some((r) => r.address === doc.address)).toBe(false);
    const network = estate.networks.find((n) => n.name === 'lr-machine') as Network;
    expect(openIn(estate, network).isTaken(parseIp(doc.address))).toBe(false);
    expect(starterText('Record', estate, 'lr')).toContain(`zone: ${estate.zones.find((z) => z.site === 'lr')?.name}`);
  });
  it('knows what somebody came for', () => {
    const estate = goodEstate();
    expect(starterText('Network', estate, 'lr', { purpose: 'management' })).toContain('purpose: management');
    expect(starterText('Registry', estate, 'lr', { role: 'source' })).toContain('role: source');
  });
  it('takes a name that nobody has', () => {
    const estate = goodEstate();
    estate.charters.push({ ...(estate.charters[0] as Charter), name: 'lr-cluster' });
    expect(starterText('Charter', estate, 'lr')).toContain('name: lr-cluster-2');
  });
});

describe('documents against the estate', () => {
  const estate = goodEstate();
  const site = estate.sites[0] as never as Record<string, unknown>;
  it('tells new, changed and same, and each field that differs', () => {
    const list = [
      site,
      { ...site, title: 'The Rock', resolvers: ['10.62.8.53'] },
      kinds.Site.parse({ kind: 'Site', name: 'new', title: 'New', form: 'edge', reach: 'thin', domain: 'new.example' }),
    ];
    const found = against(estate, list as never);
    expect(found.map((d) => d.what)).toEqual(['same', 'changed', 'new']);
    expect(found[1]?.fields).toEqual([
      { name: 'title', before: 'Lantern Rock', after: 'The Rock' },
      { name: 'resolvers', before: '["10.62.8.53","10.62.8.54"]', after: '["10.62.8.53"]' },
    ]);
  });
  it('does not take another order of keys for a change', () => {
    const turned = Object.fromEntries(Object.entries(site).reverse());
    expect(against(estate, [turned as never])[0]?.what).toBe('same');
  });
});

describe('faults in words', () => {
  it.each([
    ['title: \n', 'title', 'the value is missing (expected string)'],
    ['title: 7\n', 'title', 'expected string, found number'],
    ['title: T\nform: shed\n', 'form', 'expected one of hall, sealed-room, edge'],
    ['title: ""\n', 'title', 'at least 1 character'],
    ['title: T\nracks: [{name: R1, units: 61}]\n', 'racks.0.units', 'at most 60'],
    ['title: T\nlink: {rateMbit: 0}\n', 'link.rateMbit', 'more than 0'],
  ])('%j', (text, path, message) => {
    const rest = { form: 'form: hall\n', reach: 'reach: open\n', domain: 'domain: x.example\n' };
    const more = Object.entries(rest)
      .map(([k, line]) => (text.includes(`${k}:`) ? '' : line))
      .join('');
    const { faults } = read(`kind: Site\nname: x\n${text}${more}`);
    expect(faults).toEqual([expect.objectContaining({ path, message })]);
  });
});
