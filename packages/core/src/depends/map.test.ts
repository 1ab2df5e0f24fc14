import { describe, expect, it } from 'vitest';
import { demoEstate } from '../../../../bench/demo-estate.ts';
import { largeEstate } from '../../../../demo/large/estate.ts';
import { check } from '../checks/index.ts';
import { applyEdits, emptyEstate } from '../model/index.ts';
import { viewOf } from '../reading/index.ts';
import { dependenciesOf, type DependencyMap, ranks } from './index.ts';

const demo = demoEstate();
const { findings } = check(demo);
const at = (site?: string, most?: number) =>
  dependenciesOf(viewOf(demo), findings, { ...(site ? { site } : {}), ...(most ? { most } : {}) });
const from = (m: DependencyMap, to: string) => m.links.filter((l) => l.to === to).map((l) => l.from);

describe('what depends on what', () => {
  it('goes from a site over its networks, hosts and registry to its clusters', () => {
    const m = at('ptl');
    expect(m.things.map((t) => [t.rank, t.title])).toEqual([
      ['site', 'MV Petrel'],
      ['network', 'ptl-machine'],
      ['network', '1 other network'],
      ['hosts', '3 hosts'],
      ['registry', 'ptl-registry'],
      ['cluster', 'petrel'],
    ]);
    const hosts = m.things.find((t) => t.rank === 'hosts')?.id as string;
    expect(from(m, hosts)).toEqual(['network ptl-machine']);
    expect(from(m, 'registry ptl-registry')).toEqual(['network ptl-machine']);
    expect(from(m, 'cluster petrel').sort()).toEqual([hosts, 'registry ptl-registry'].sort());
    expect(m.folded).toEqual([]);
  });
  it('has every host, network and cluster of a site once, and every link goes south', () => {
    for (const { name } of demo.sites) {
      const m = at(name);
      const of = (rank: string) => m.things.filter((t) => t.rank === rank);
      const here = <T extends { site: string }>(list: readonly T[]) => list.filter((x) => x.site === name);
      expect(
        of('hosts')
          .flatMap((t) => t.members)
          .sort(),
      ).toEqual(
        here(demo.hosts)
          .filter((h) => !['retired', 'sighted'].includes(h.state))
          .map((h) => h.name)
          .sort(),
      );
      expect(
        of('network')
          .flatMap((t) => (t.members.length ? t.members : [t.title]))
          .sort(),
      ).toEqual(
        here(demo.networks)
          .map((n) => n.name)
          .sort(),
      );
      expect(
        of('cluster')
          .map((t) => t.title)
          .sort(),
      ).toEqual(
        here(demo.charters)
          .map((c) => c.name)
          .sort(),
      );
      const rank = new Map(m.things.map((t) => [t.id, ranks.indexOf(t.rank)]));
      for (const l of m.links) expect(rank.get(l.from), `${l.from} → ${l.to}`).toBeLessThan(rank.get(l.to) as number);
      // Nothing but the site itself hangs on nothing.
      for (const t of m.things) expect(m.links.some((l) => l.to === t.id)).toBe(t.rank !== 'site');
    }
  });
  it('tells the worst that is found about each thing', () => {
    const m = at('lr');
    const charter = findings.filter((f) => f.subject.kind === 'Charter' && f.subject.name === 'plover');
    expect(m.things.find((t) => t.id === 'cluster plover')).toMatchObject({ worst: 'stop', findings: charter.length });
    const none = dependenciesOf(viewOf(demo), [], { site: 'lr' }).things;
    expect(none.filter((t) => t.worst !== undefined || t.findings)).toEqual([]);
  });
  it('of many sites draws the worst, and tells the others by their number', () => {
    const m = at(undefined, 2);
    const drawn = m.things.filter((t) => t.rank === 'site').map((t) => t.site);
    expect(drawn).toHaveLength(2);
    for (const s of drawn) expect(findings.some((f) => f.site === s && f.severity === 'stop')).toBe(true);
    expect(m.folded.flatMap((f) => f.sites).length).toBe(demo.sites.length - 2);
    const large = applyEdits(
      emptyEstate(demo.now),
      largeEstate({ hosts: 3000, sites: 300 }).map((doc) => ({ op: 'put', doc })),
    );
    const began = performance.now();
    const many = dependenciesOf(viewOf(large), []);
    expect(many.things.length).toBeLessThan(80);
    expect(many.folded).toEqual([{ worst: undefined, sites: expect.any(Array) }]);
    expect(many.folded[0]?.sites).toHaveLength(large.sites.length - 4);
    expect(performance.now() - began).toBeLessThan(5000);
  });
  it('of nothing is nothing', () => {
    expect(dependenciesOf(viewOf(emptyEstate(demo.now)), [])).toEqual({ things: [], links: [], folded: [] });
  });
});
