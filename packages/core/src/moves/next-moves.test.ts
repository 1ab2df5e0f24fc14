import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { check } from '../checks/index.ts';
import { resolve } from '../charter/index.ts';
import { applyEdits, type Charter, type Doc, emptyEstate, type Estate, type Host, kinds, type Site } from '../model/index.ts';
import { type Built, type Known, nextMoves } from './index.ts';

const now = '2026-11-28T09:00:00Z';
const movesOf = (e: Estate) => nextMoves(e, check(e).findings);
const key = (name: string, use: string, ...places: string[]) => ({ name, use, places });
/** The good estate, with a credential for its controllers. */
const good = (): Estate => {
  const e = goodEstate();
  return { ...e, keys: [...e.keys.filter((k) => k.name !== 'bmc-lr'), key('bmc-lr', 'bmc', '10.62.7.0/26')] };
};
const put = (e: Estate, ...docs: object[]) =>
  applyEdits(
    e,
    docs.map((d) => ({ op: 'put' as const, doc: kinds[(d as Doc).kind].parse(d) as Doc })),
  );

describe('from an empty estate to a build', () => {
  const site = {
    kind: 'Site',
    name: 'lr',
    title: 'Lantern Rock',
    form: 'sealed-room',
    reach: 'sealed',
    domain: 'lr.kestrelferries.example',
    resolvers: ['10.62.8.53', '10.62.8.54'],
    racks: [{ name: 'R1' }],
  };
  const network = (purpose: string, prefix: string, gateway: string) => ({
    kind: 'Network',
    name: `lr-${purpose}`,
    site: 'lr',
    purpose,
    prefix,
    gateway,
    vlan: purpose === 'machine' ? 812 : 811,
  });
  it('each move leads to what is lacking next, and what was done is not said again', () => {
    const said: string[] = [];
    const step = (e: Estate) => said.push(movesOf(e).map((m) => `${m.stage}: ${m.label}`)[0] ?? 'nothing');
    let e = emptyEstate(now);
    step(e);
    e = put(e, site);
    step(e);
    e = put(e, network('management', '10.62.7.0/26', '10.62.7.1'));
    e = put(e, network('machine', '10.62.8.0/25', '10.62.8.1'));
    step(e);
    e = { ...e, keys: [key('bmc-lr', 'bmc', '10.62.7.0/26')] };
    step(e);
    const sighting = {
      site: 'lr',
      address: '10.62.7.12',
      fingerprint: 'AA',
      serial: 'S',
      model: 'M',
      maker: 'K',
      accepted: false,
      at: now,
    };
    e = { ...e, observed: { ...e.observed, sightings: [sighting as never] } };
    step(e);
    e = {
      ...e,
      observed: { ...e.observed, sightings: [{ ...sighting, accepted: true, facts: goodEstate().hosts[0]?.facts } as never] },
    };
    step(e);
    e = {
      ...e,
      observed: { ...e.observed, sightings: [] },
      hosts: goodEstate().hosts.map((h) => ({ ...h, held: undefined, state: 'fit' as const })),
    };
    step(e);
    e = put(e, { kind: 'Registry', name: 'upstream', site: 'lr', role: 'source', endpoint: 'images.upstream.example:443' });
    step(e);
    e = put(e, {
      kind: 'Registry',
      name: 'lr-registry',
      site: 'lr',
      role: 'starter',
      endpoint: 'registry.lr.kestrelferries.example:5000',
    });
    step(e);
    e = { ...e, releases: goodEstate().releases };
    step(e);
    expect(said).toEqual([
      'site: Declare the first site',
      'networks: Declare it',
      'keyring: Add it to the keyring',
      'hosts: Sweep for hosts',
      'hosts: Accept',
      'hosts: List them',
      'registry: Declare it',
      'registry: Declare it',
      'releases: Take in releases',
      'charter: Declare a cluster',
    ]);
  });
  it('a site alone has something to do', () => {
    expect(movesOf(put(emptyEstate(now), site)).map((m) => m.go)).toContain(
      '/declare?kind=Network&purpose=management&site=lr&back=/estate',
    );
  });
});

it('goes from hosts to the build', () => {
  const empty = { ...good(), hosts: [] };
  expect(movesOf(empty)[0]).toMatchObject({
    stage: 'hosts',
    label: 'Sweep for hosts',
    go: '/hosts?site=lr&sweep=10.62.7.1-10.62.7.62',
  });
  expect(movesOf(good()).map((m) => m.text)).toEqual(['Lantern Rock: plover can be built: nothing stops it']);
});

it('a build with a failed step comes first, also while the rest of it goes on', () => {
  const e = { ...good(), hosts: [] };
  const moves = nextMoves(e, check(e).findings, { built: { plover: { number: 2, state: 'running', failed: 'lr-08 system' } } });
  expect(moves[0]).toMatchObject({
    stage: 'mend',
    text: 'Lantern Rock: build 2 of plover: lr-08 system failed; mend it and retry',
    go: '/builds/plover/2?site=lr',
  });
  expect(moves[1]?.stage).toBe('hosts');
  // Also before what waits in a sealed room, which comes first otherwise.
  const [site, charter] = [e.sites[0] as Site, e.charters[0] as Charter];
  const two = {
    ...e,
    sites: [
      { ...site, reach: 'open' as const },
      { ...site, name: 'sr', title: 'Sealed Room', reach: 'sealed' as const },
    ],
    charters: [charter, { ...charter, name: 'teal', site: 'sr' }],
  };
  const at = (built: Known['built']) => nextMoves(two, check(two).findings, { built })[0]?.site;
  expect([at({}), at({ plover: { number: 2, state: 'running', failed: 'lr-08 system' } })]).toEqual(['sr', 'lr']);
});

describe('a stop is never passed over in silence', () => {
  it('where no cluster is declared, and where it stands already', () => {
    const overlap = { kind: 'Network', name: 'lr-more', site: 'lr', purpose: 'storage', prefix: '10.62.8.64/26' };
    const stopped = (e: Estate) => check(e).findings.filter((f) => f.severity === 'stop' && f.code === 'NET-001');
    for (const e of [
      put({ ...good(), charters: [], hosts: good().hosts.map((h) => ({ ...h, held: undefined })) }, overlap),
      put({ ...good(), hosts: good().hosts.map((h) => (h.held ? { ...h, state: 'serving' as const } : h)) }, overlap),
    ]) {
      const titles = stopped(e).map((f) => f.title);
      expect(titles.length).toBeGreaterThan(0);
      for (const title of titles)
        expect(
          movesOf(e)
            .map((m) => m.text)
            .join('\n'),
        ).toContain(title);
    }
  });
  it('one entry that six hosts lack is one move', () => {
    const e = { ...good(), keys: [] };
    const hosts = e.hosts.filter((h) => h.bmc?.credential === 'bmc-lr').length;
    expect(hosts).toBeGreaterThan(1);
    const lacking = movesOf(e).filter((m) => m.go.startsWith('/keyring?add=bmc-lr'));
    expect(lacking.map((m) => [m.go, m.text.replace(/^.*,/, '')])).toEqual([
      ['/keyring?add=bmc-lr&use=bmc&places=10.62.7.0%2F26&site=lr', ` and ${hosts - 1} more`],
    ]);
  });
});

describe('a cluster that stands', () => {
  /** Six hosts serve it, installed with its release. */
  const standing = (more: Partial<Charter> = {}): Estate => {
    const e = good();
    const [plover] = e.charters as [Charter];
    const roles = new Map(resolve(plover, e).nodes.map((n) => [n.host, n.role]));
    return {
      ...e,
      charters: [{ ...plover, ...more }],
      hosts: e.hosts.map((h) => {
        const role = roles.get(h.name);
        return role ? ({ ...h, state: 'serving', held: { charter: 'plover', role, release: '1.34.2' } } as Host) : h;
      }),
    };
  };
  const saidOf = (e: Estate, built: Record<string, Built> = {}) =>
    nextMoves(e, [], { built })
      .filter((m) => m.text.includes('plover'))
      .map((m) => [m.text.replace('Lantern Rock: ', ''), m.go.split('?')[0]]);
  it('asks for nothing while it is as planned', () => {
    expect(saidOf(standing())).toEqual([]);
  });
  it.each<[Partial<Charter>, string]>([
    [{ workers: { count: 2 } }, '6 hosts serve, 5 are planned'],
    [{ except: ['lr-05'] }, '1 of its hosts is not to be in it'],
    [{ release: '1.35.0' }, '6 of its hosts have another release'],
  ])('leads to what is to be done where its charter says otherwise: %j', (more, why) => {
    expect(saidOf(standing(more))).toEqual([[`plover stands otherwise than planned: ${why}`, '/clusters/plover/change']]);
  });
  it('was taken down: leads to giving its hosts back, and not to building over what lies on them', () => {
    const e = standing();
    e.hosts = e.hosts.map((h) =>
      h.held ? ({ ...h, state: 'held', held: { charter: 'plover', role: h.held.role, installed: 'build 1' } } as Host) : h,
    );
    expect(
      nextMoves(e, [], { built: { plover: { number: 2, state: 'done' } } }).map((m) => [m.text, m.label, m.go]),
    ).toContainEqual([
      'Lantern Rock: plover was taken down: 6 hosts are still held for it, off',
      'Give back',
      '/clusters/plover/change?kind=give-back&site=lr',
    ]);
    expect(saidOf(e, { plover: { number: 3, state: 'running' } })).toEqual([['plover is being built', '/builds/plover/3']]);
  });
  it('leads to what is not as it was proved, unless it is being changed', () => {
    const drift = { what: 'nodes ready, planned 6 of 6, found 5 of 6', count: 3 };
    expect(saidOf(standing(), { plover: { number: 2, state: 'done', drift } })).toEqual([
      ['plover is not as it was proved: nodes ready, planned 6 of 6, found 5 of 6 and 2 more', '/clusters/plover'],
    ]);
    expect(saidOf(standing(), { plover: { number: 2, state: 'running', drift } })).toEqual([
      ['plover is being changed', '/builds/plover/2'],
    ]);
  });
  it('asks to renew certificates when it is time, and not where they are renewed by themselves', () => {
    const ending = (more: Partial<Charter> = {}) => {
      const e = standing(more);
      const certificates = new Date(Date.parse(e.now) + 30 * 86_400_000).toISOString();
      return { ...e, hosts: e.hosts.map((h) => (h.held ? ({ ...h, held: { ...h.held, certificates } } as Host) : h)) };
    };
    expect(saidOf(ending())[0]?.[0]).toMatch(/^certificates of plover end on 20\d\d-\d\d-\d\d: renew them$/);
    expect(saidOf(ending({ certificates: { byItself: true } }))).toEqual([]);
  });
  it.each([
    [29, '/clusters/existing'],
    [31, undefined],
  ])('asks for another way into a cluster that was built elsewhere, when that ends in %s days', (days, go) => {
    const e = standing();
    const certificates = new Date(Date.parse(e.now) + days * 86_400_000).toISOString();
    e.hosts = e.hosts.map((h) => (h.held ? ({ ...h, held: { ...h.held, certificates, elsewhere: true } } as Host) : h));
    expect(saidOf(e)[0]?.[1]).toBe(go);
  });
  it.each<[1 | 2 | 3, number, RegExp | undefined]>([
    [1, 3000, undefined],
    [1, 400, /^the authority of plover ends on 20\d\d-\d\d-\d\d: change it$/],
    [2, 3000, /^plover trusts two authorities: hand out its kubeconfig anew, then issue by the next one$/],
    [3, 3000, /^plover trusts two authorities: hand out its kubeconfig anew, then trust the next one alone$/],
  ])('authorities: change %s of three is next, the first ends in %s days', (stage, days, said) => {
    const e = standing();
    const ends = new Date(Date.parse(e.now) + days * 86_400_000).toISOString();
    e.hosts = e.hosts.map((h) => (h.held ? ({ ...h, held: { ...h.held, authority: { stage, ends } } } as Host) : h));
    const [first] = saidOf(e);
    if (said) expect(first?.[0]).toMatch(said);
    else expect(first).toBeUndefined();
  });
  it('leads to a change that failed before anything else', () => {
    const failed = { plover: { number: 2, state: 'failed' as const, failed: 'lr-05 leave' } };
    expect(saidOf(standing({ except: ['lr-05'] }), failed)).toEqual([
      ['change 2 of plover: lr-05 leave failed; mend it and retry', '/builds/plover/2'],
    ]);
  });
});

describe('somebody who cannot be told', () => {
  it('is said before anything else, of no site, with why', () => {
    const e = good();
    const known: Known = { untold: [{ name: 'night-shift', why: 'hook.example:443: it answers with 503' }] };
    expect(nextMoves(e, check(e).findings, known)[0]).toEqual({
      site: '',
      stage: 'mend',
      text: 'Notice night-shift cannot be sent: hook.example:443: it answers with 503',
      label: 'Look at it',
      go: '/notices',
    });
  });
});
