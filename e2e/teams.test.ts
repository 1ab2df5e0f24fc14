import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Client, Installation } from '../apps/server/test/installation.ts';
import { type Browser, openBrowser } from './lib/browser.ts';

/** Teams as a warden sees them, and what giving somebody a site and a team changes for that person. */
const i = new Installation();
let b: Browser;
let warden: Client;
const url = (path: string) => i.config.publicUrl + path;
/** For looking at by hand: `SHOTS=folder`. */
const shot = async (name: string) => (process.env.SHOTS ? b.picture(join(process.env.SHOTS, `${name}.png`)) : undefined);
const teamOf = async (name: string) => (await warden.estate()).teams.find((t) => t.name === name);

beforeAll(async () => {
  await i.start();
  warden = await i.as('warden');
  b = await openBrowser();
  await b.open(url('/sign-in'));
  await b.type('Login', 'warden');
  await b.type('Password', i.password);
  await b.click('button', 'Sign in');
  await b.see('Next moves');
});
afterAll(async () => {
  await b?.close();
  await i.stop();
});

describe('teams', () => {
  it('are shown with what they have of what they may, and what is planned besides', async () => {
    await b.open(url('/people/teams'));
    // Three hosts of petrel are held; dunlin and turnstone are planned: 3 + 3 + 1.
    await b.find("//*[@role='img'][@aria-label='Hosts of aboard: 3 of 9, 7 planned']");
    await b.find("//*[@role='img'][@aria-label='Hosts of ticketing: 15 of 18']");
    await b.find("//tr[contains(., 'Aboard')]//td[contains(., 'dunlin, petrel, turnstone')]");
    await shot('teams');
  });
  it('whose allowance is too small for what is planned say so, and it is raised from the margin', async () => {
    await warden.good('POST', '/api/edits', {
      why: 'less',
      edits: [{ op: 'set', kind: 'Team', key: 'aboard', path: ['allowance', 'hosts'], value: 5 }],
    });
    await b.see('aboard plans 7 of 5 hosts');
    await b.find("//*[@role='img'][@aria-label='Hosts of aboard: 3 of 5, 7 planned']");
    await shot('teams-over');
    await b.click('button', 'Raise it to 7');
    await b.click('button', 'Make this change');
    await b.find("//*[@role='img'][@aria-label='Hosts of aboard: 3 of 7, 7 planned']");
    expect((await teamOf('aboard'))?.allowance.hosts).toBe(7);
  });
  it('that are too small keep a charter from being held: it is saved, and says why', async () => {
    await warden.good('POST', '/api/edits', {
      why: 'less',
      edits: [{ op: 'set', kind: 'Team', key: 'aboard', path: ['allowance', 'hosts'], value: 5 }],
    });
    await b.open(url('/clusters/dunlin?site=dnl'));
    await b.see('With dunlin, aboard would have 6 of 5 hosts');
    const owner = await b.attribute("//button[starts-with(@aria-label, 'Owner:')]", 'aria-label');
    await b.click('button', owner ?? '');
    await b.type('Owner', 'harbour office\n');
    await b.click('button', 'Consequences and save…');
    await b.click('button', 'Save and hold hosts');
    await b.see('nothing was held. The team aboard would have 6 of 5 hosts.');
    const dunlin = (await warden.estate()).charters.find((c) => c.name === 'dunlin');
    expect([dunlin?.owner, (await warden.estate()).hosts.filter((h) => h.held?.charter === 'dunlin')]).toEqual([
      'harbour office',
      [],
    ]);
  });
});

describe('a person', () => {
  it('is given a team and more at one site, and may then what was refused before', async () => {
    const password = 'night-watch-at-sea';
    await warden.good('POST', '/api/accounts', { login: 'rui', name: 'Rui Sants', role: 'reader', password });
    const rui = new Client(i.config.publicUrl);
    await rui.signIn('rui', password);
    const edit = (key: string) =>
      rui.call('POST', '/api/edits', {
        why: 'x',
        edits: [{ op: 'set', kind: 'Charter', key, path: ['purpose'], value: 'traffic' }],
      });
    expect((await edit('plover')).status).toBe(403);
    await b.open(url('/people'));
    await b.click('button', 'Teams and sites of rui');
    await b.act("//*[@role='dialog']//label[contains(., 'Vessel traffic')]/input");
    await b.choose('Role at lr', 'planner');
    await shot('rights');
    await b.click('button', 'Save', "//*[@role='dialog']");
    await b.find("//tr[td[.='rui']]//td[contains(., 'vessel-traffic')][contains(., 'planner at lr')]");
    expect([(await edit('plover')).status, (await edit('tern')).status]).toEqual([200, 403]);
  });
  it('makes a token that is kept to a site and a team', async () => {
    await b.click('button', 'Make a token…');
    await b.type('Name', 'night build');
    await b.act("//*[@role='dialog']//label[.='lr']/input");
    await b.choose('Clusters of', 'vessel-traffic');
    await shot('token-kept');
    await b.act("//*[@role='dialog']//button[.='Make' and not(@disabled)]");
    await b.see('shown only now');
    await b.click('button', 'Close');
    await b.find(
      "//table[@aria-label='Your tokens']//tr[contains(., 'night build')][contains(., 'changes only what is at lr, clusters of vessel-traffic')]",
    );
  });
});
