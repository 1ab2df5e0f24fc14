import type { NewSite, SitesPreview } from '@praesidor/contract';
import type { Charter, Host } from '@praesidor/core/model';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Client, Installation } from './installation.ts';

/** Sites from a table, each like one that is there: what it would make, all of it or nothing, by several people. */
const i = new Installation();
let c: Client;
beforeAll(async () => {
  await i.start();
  c = await i.as('warden');
});
afterAll(() => i.stop());

const preview = (text: string, more: object = {}) =>
  c.good<SitesPreview>('POST', '/api/sites/preview', { like: 'ptl', text, ...more });
const make = (text: string, more: object = {}, by = c) =>
  by.call<{ sites: number; documents: number; act: number }>('POST', '/api/sites/import', { like: 'ptl', text, ...more });
const names = async () => (await c.estate()).sites.map((s) => s.name);
const site = (p: SitesPreview, name: string) => p.sites.find((s) => s.name === name) as NewSite;

describe('a table of sites', () => {
  const text = 'site,title,control-plane\navo,MV Avocet,3\nbrt,MV Brent,1\nptl,MV Petrel,';
  it('is looked at first: what each site would have, and nothing is changed', async () => {
    const before = await names();
    const p = await preview(text);
    expect(p.counts).toEqual({ new: 2, there: 1, wrong: 0 });
    expect(site(p, 'avo')).toMatchObject({
      networks: [{ name: 'avo-bmc' }, { name: 'avo-machine' }],
      hosts: ['avo-1', 'avo-2', 'avo-3'],
      cluster: { name: 'avo-cluster', template: 'ship-edge', version: 7 },
    });
    expect(site(p, 'ptl').documents).toEqual([]);
    expect(p.credentials).toEqual(['avo-registry', 'brt-registry']);
    // A site, two networks, two zones, a registry and its address, three hosts, and a cluster, twice.
    expect(p.documents).toBe(2 * (1 + 2 + 2 + 1 + 1 + 3 + 1));
    expect(await names()).toEqual(before);
  });
  it('is made in one act with all that belongs to them, as it was shown, and undone as one', async () => {
    const p = await preview(text);
    const a = await make(text);
    expect([a.status, a.body.sites, a.body.documents]).toEqual([200, 2, p.documents]);
    const e = await c.estate();
    for (const s of ['avo', 'brt']) {
      const shown = site(p, s);
      expect(e.networks.filter((n) => n.site === s).map(({ name, prefix }) => ({ name, prefix }))).toEqual(shown.networks);
      expect(e.hosts.filter((h) => h.site === s).map((h) => [h.name, h.state])).toEqual(shown.hosts.map((h) => [h, 'listed']));
    }
    const [avo, brt] = ['avo-cluster', 'brt-cluster'].map((n) => e.charters.find((x) => x.name === n) as Charter);
    expect([avo?.controlPlane.count, brt?.controlPlane.count, avo?.pods.range === brt?.pods.range]).toEqual([3, 1, false]);
    const record = await c.good<{ acts: { id: number; act: string; subject: string }[] }>('GET', '/api/acts?limit=1');
    expect(record.acts[0]).toMatchObject({ id: a.body.act, act: 'made sites', subject: 'avo brt' });
    await c.good('POST', `/api/acts/${a.body.act}/undo`);
    const left = await c.estate();
    expect([left.sites, left.networks, left.hosts, left.charters].flat().filter((d) => /^(avo|brt)/.test(d.name))).toEqual([]);
  });
  it('pasted again makes nothing, and what was changed there stays', async () => {
    await c.good('POST', '/api/sites/import', { like: 'ptl', text });
    await c.good('POST', '/api/edits', {
      why: 'x',
      edits: [{ op: 'set', kind: 'Host', key: 'avo-1', path: ['unit'], value: 9 }],
    });
    const a = await make(text);
    expect([a.status, a.body.message]).toEqual([409, 'The table has no site that is not there already.']);
    expect((await c.good<{ doc: Host }>('GET', '/api/documents/Host/avo-1')).doc.unit).toBe(9);
  });
  it('of which a line is wrong is not made at all, unless that site may be left out', async () => {
    const wrong = 'site,block\ncrn,10.200.0.0/21\ndvr,10.71.0.0/21';
    const a = await make(wrong, { cluster: false });
    expect([a.status, a.body.message]).toEqual([
      422,
      'Nothing was made: 1 site is wrong, the first in line 3: dvr: block: 10.71.0.0/21 overlaps that of dnl-bmc, 10.71.7.0/28.',
    ]);
    expect(await names()).not.toContain('crn');
    const b = await make(wrong, { cluster: false, leaveOut: true });
    expect([b.status, b.body.sites]).toEqual([200, 1]);
    expect(
      (await c.estate()).networks
        .filter((n) => n.site === 'crn')
        .map((n) => n.prefix)
        .sort(),
    ).toEqual(['10.200.1.0/27', '10.200.7.0/28']);
  });
  it('that cannot be read is refused with why', async () => {
    const a = await make('title\nMV Nobody');
    expect([a.status, a.body.message]).toEqual([422, expect.stringContaining('no column is headed site')]);
    for (const body of [{}, { like: 'ptl' }, { like: 'ptl', text: 5 }, { like: '../x', text: 'site\na' }])
      expect((await c.call('POST', '/api/sites/import', body)).status).toBe(422);
  });
});

describe('who makes sites', () => {
  it('is a warden, as who declares a site is; everybody looks at what a table would make', async () => {
    const [reader, planner] = [await i.as('reader'), await i.as('planner')];
    expect((await reader.call('POST', '/api/sites/preview', { like: 'ptl', text: 'site\nelg' })).status).toBe(200);
    expect((await make('site\nelg', {}, reader)).status).toBe(403);
    const a = await make('site\nelg', { cluster: false }, planner);
    expect([a.status, a.body.message]).toEqual([
      403,
      'To declare Site elg takes the role warden, since sites are a warden’s; planner is planner.',
    ]);
  });
  it('is one of many at once: nothing of the others is written over it', async () => {
    const people = await Promise.all([1, 2, 3].map(() => i.as('warden')));
    const all = await Promise.all(
      people.map((by, n) => make(`site,title,block\nfch,Ship ${n},10.20${n}.64.0/21`, { cluster: false }, by)),
    );
    expect(all.map((a) => a.status).sort()).toEqual([200, 409, 409]);
    const won = all.findIndex((a) => a.status === 200);
    const e = await c.estate();
    expect(e.sites.find((s) => s.name === 'fch')?.title).toBe(`Ship ${won}`);
    expect(e.networks.filter((n) => n.site === 'fch').every((n) => n.prefix.startsWith(`10.20${won}.`))).toBe(true);
  });
});
