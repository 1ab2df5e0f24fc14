import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { check } from '../checks/index.ts';
import type { Estate, Host } from '../model/index.ts';
import { makeFinder, type Thing, thingsOf } from './index.ts';

const finderOf = (e: Estate) => makeFinder(thingsOf(e, check(e).findings));
const names = (e: Estate, typed: string, site = 'lr') => finderOf(e)(typed, site).things.map((t) => t.name);
/** Fifteen hosts of another hall whose names hold what is typed, and a finding that speaks of one. */
function crowded(): Estate {
  const e = goodEstate();
  const [one] = e.hosts as [Host];
  const others = Array.from({ length: 15 }, (_, n) => ({ ...one, name: `bw-lr-0${n}`, site: 'bw', held: undefined }));
  return {
    ...e,
    sites: [...e.sites, { ...e.sites[0], name: 'bw', title: 'Breakwater Hall' } as never],
    hosts: [...others, ...e.hosts],
  };
}

describe('go to, or do', () => {
  it('what begins as typed comes before what only holds it, and the current site before others', () => {
    const found = names(crowded(), 'lr-0');
    const own = crowded()
      .hosts.filter((h) => h.site === 'lr')
      .map((h) => h.name);
    expect(found.slice(0, own.length).sort()).toEqual(own.sort());
    expect(found[0]).toBe('lr-01');
  });
  it('among equal ones those of the current site come first', () => {
    const host = (name: string, site: string): Thing => ({ name, hint: '', also: '', go: '/', site, sort: 'host' });
    const find = makeFinder([host('h-1', 'bw'), host('h-2', 'lr'), host('h-3', 'bw')]);
    expect(find('h-', 'lr').things.map((t) => t.name)).toEqual(['h-2', 'h-1', 'h-3']);
    expect(find('h-', 'bw').things.map((t) => t.name)).toEqual(['h-1', 'h-3', 'h-2']);
  });
  it('a whole name comes first of all', () => {
    expect(names(goodEstate(), 'plover')[0]).toBe('plover');
    expect(names(goodEstate(), 'lr-registry')[0]).toBe('lr-registry');
  });
  it.each([
    ['build plover', 'build plover'],
    ['ship to lr-registry', 'ship to lr-registry'],
    ['sweep', 'sweep lr-bmc'],
    ['pod mtu plover', 'Pod MTU of plover'],
  ])('does %s', (typed, name) => {
    expect(names(goodEstate(), typed)[0]).toBe(name);
  });
  it('finds hosts by MAC, serial and the address of their controller', () => {
    const h = goodEstate().hosts.find((x) => x.facts?.nics.length && x.bmc) as Host;
    for (const typed of [h.facts?.nics[0]?.mac, h.facts?.serial, h.bmc?.address])
      expect(names(goodEstate(), typed as string)[0]).toBe(h.name);
  });
  it('finds an address, a finding by its code, and an image by its digest', () => {
    const e = goodEstate();
    const r = e.reservations.find((x) => x.owner.kind === 'charter') ?? e.reservations[0];
    expect(finderOf(e)(r?.address as string).things[0]?.go).toContain(`at=${r?.address}`);
    const bad = { ...e, zones: [] };
    const code = check(bad).findings[0]?.code as string;
    expect(finderOf(bad)(code).things[0]).toMatchObject({ sort: 'finding', hint: code });
    const bill = Object.values(e.observed.bills)[0];
    expect(names(e, bill?.images[0]?.digest as string)[0]).toBe(bill?.images[0]?.ref);
  });
  it('says how many there are beside those that it shows', () => {
    const many = Array.from(
      { length: 5000 },
      (_, n): Thing => ({ name: `host-${n}`, hint: '', also: '', go: '/', site: '', sort: 'host' }),
    );
    const found = makeFinder(many)('host', '', 10);
    expect([found.of, found.things.map((t) => t.name)]).toEqual([
      5000,
      ['host-0', 'host-1', 'host-2', 'host-3', 'host-4', 'host-5', 'host-6', 'host-7', 'host-8', 'host-9'],
    ]);
  });
  it('finds nothing for nothing, and is not led astray by blanks and capitals', () => {
    expect(names(goodEstate(), '  ')).toEqual([]);
    expect(names(goodEstate(), '  PLOVER ')[0]).toBe('plover');
  });
});
