import { execFile } from 'node:child_process';
import { promisify } from 'node:util';
import { join } from 'node:path';
import { By, Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Client, Installation } from '../apps/server/test/installation.ts';
import { type Browser, openBrowser } from './lib/browser.ts';

/** Two people at once: one at a browser, the other through the API. */
const i = new Installation();
let b: Browser;
let other: Client;
const url = (path: string) => i.config.publicUrl + path;
/** For looking at by hand: `SHOTS=folder`. */
const shot = async (name: string) => (process.env.SHOTS ? b.picture(join(process.env.SHOTS, `${name}.png`)) : undefined);

beforeAll(async () => {
  await i.start({ speed: 600 });
  other = await i.as('planner');
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
const charter = async (name: string) => (await other.estate()).charters.find((c) => c.name === name);
const set = (kind: string, key: string, path: string[], value: unknown) =>
  other.good('POST', '/api/edits', { why: 'meanwhile', edits: [{ op: 'set', kind, key, path, value }] });

describe('a charter that two people edit', () => {
  it('keeps a draft over reload, Back and another view, and says so', async () => {
    await b.open(url('/clusters/dunlin?site=dnl'));
    const owner = await b.attribute("//button[starts-with(@aria-label, 'Owner:')]", 'aria-label');
    await b.click('button', owner ?? '');
    await b.type('Owner', 'harbour office\n');
    await b.see('Not saved yet. This draft of');
    await b.driver.navigate().refresh();
    await b.find("//button[@aria-label='Owner: harbour office, edit']");
    await b.click('link', 'Clusters');
    await b.find("//h1[.='Clusters']");
    await b.driver.navigate().back();
    await b.find("//button[@aria-label='Owner: harbour office, edit']");
    expect((await charter('dunlin'))?.owner).not.toBe('harbour office');
  });
  it('shows what another saved beside it, and keeps both', async () => {
    await set('Charter', 'dunlin', ['purpose'], 'gates of the pier');
    await b.see('planner saved this charter since you began.');
    await b.find("//button[@aria-label='Purpose: gates of the pier, edit']");
    await shot('saved-since');
    await b.click('button', 'Consequences and save…');
    await b.click('button', 'As a command…');
    await b.find(
      "//*[@role='dialog']//*[contains(@class, 'mono') and contains(., 'call PUT /api/charters/dunlin') and contains(., 'gates of the pier')]",
    );
    await b.click('button', 'Save and hold hosts');
    await b.gone('Discard draft');
    expect(await charter('dunlin')).toMatchObject({ owner: 'harbour office', purpose: 'gates of the pier' });
  });
  it.each([
    ['Keep yours', 'tide tables'],
    ['Take planner’s', 'weather desk'],
  ])('shows all three values where both set one field; %s is what stands then', async (choice, stands) => {
    await set('Charter', 'dunlin', ['owner'], 'harbour office');
    await b.driver.navigate().refresh();
    await b.click('button', 'Owner: harbour office, edit');
    await b.type('Owner', 'tide tables\n');
    await b.see('Not saved yet.');
    await set('Charter', 'dunlin', ['owner'], 'weather desk');
    await b.see('planner changed a field that you changed too.');
    const row = await b.textOf("//table[@aria-label='Changed by two people']//tbody/tr");
    expect(row).toMatch(/owner\s+harbour office\s+tide tables\s+weather desk/);
    const save = await b.find("//button[starts-with(., 'Consequences and save')]");
    expect(await save.isEnabled()).toBe(false);
    await shot('collision');
    await b.click('button', choice);
    if (stands === 'tide tables') {
      await b.click('button', 'Consequences and save…');
      await b.click('button', 'Save and hold hosts');
    }
    await b.gone('Discard draft');
    await b.gone('planner changed a field');
    await b.find(`//button[@aria-label='Owner: ${stands}, edit']`);
    expect((await charter('dunlin'))?.owner).toBe(stands);
  });
});

describe('text that is declared', () => {
  const editor = () => b.find("//*[@aria-label='Documents as text']");
  const network = async () => (await other.estate()).networks.find((n) => n.name === 'lr-machine');
  const typeAtEnd = async (text: string) => (await editor()).sendKeys(Key.chord(Key.CONTROL, Key.END), text);
  it('is kept a draft a wish, over reload and another wish', async () => {
    await b.open(url('/declare'));
    await typeAtEnd('# of the harbour');
    await b.see('Not saved yet.');
    await b.click('button', 'network');
    await b.see('kind: Network');
    await b.gone('# of the harbour');
    await b.driver.navigate().back();
    await b.see('# of the harbour');
    await b.driver.navigate().refresh();
    await b.see('# of the harbour');
    await b.click('button', 'Discard draft');
    await b.gone('# of the harbour');
  });
  it('is merged by field with what another saved, and where both set one, it is chosen', async () => {
    await b.open(url('/declare?edit=Network%20lr-machine'));
    await b.see('kind: Network');
    await typeAtEnd('ntp: [10.62.8.60]\n');
    await b.see('Not saved yet.');
    await set('Network', 'lr-machine', ['mtu'], 1400);
    await b.click('button', 'Save Network lr-machine');
    await b.gone('Not saved yet.');
    expect(await network()).toMatchObject({ mtu: 1400, ntp: ['10.62.8.60'] });

    await b.open(url('/declare?edit=Network%20lr-machine'));
    await b.see('mtu: 1400');
    await typeAtEnd('resolvers: [10.62.8.61] # two rooms\n');
    await b.see('Not saved yet.');
    await set('Network', 'lr-machine', ['resolvers'], ['10.62.8.62']);
    await b.see('Network lr-machine changed since you began');
    await b.click('button', 'Take theirs');
    await b.see('10.62.8.62');
    await b.gone('changed since you began');
    expect(await network()).toMatchObject({ resolvers: ['10.62.8.62'] });
    await b.click('button', 'Discard draft');
  });
});

describe('people', () => {
  it('sign in with a provider that a warden sets, and are told why where it does not let them', async () => {
    const provider = i.world.providers.get('Kestrel Ferries sign-in');
    await b.open(url('/people/sign-in'));
    await b.click('button', 'Set a provider…');
    await b.type('Title', 'Kestrel Ferries');
    await b.type('Issuer', provider?.issuer ?? '');
    await b.type('Known there as', 'praesidor');
    await b.choose('Secret', 'kestrel-sign-in');
    await b.choose('Who has no account', 'reader');
    await (await b.find("//textarea[@id=//label[.='Its authority']/@for]")).sendKeys(i.world.authorities.get('bw')?.cert ?? '');
    await b.click('button', 'Save', "//*[@role='dialog']");
    await b.click('button', 'Test');
    await b.see('it answers; people sign in at');
    await shot('sign-in-provider');
    const guest = await openBrowser();
    try {
      await guest.open(url('/sign-in?back=/hosts'));
      await guest.click('link', 'Sign in with Kestrel Ferries');
      await (await guest.find("//input[@name='login']")).sendKeys('noor');
      await (await guest.find("//input[@name='password']")).sendKeys('harbour-demo-1');
      await guest.click('button', 'Continue');
      await guest.find("//h1[.='Hosts']");
      expect(await guest.driver.getCurrentUrl()).toBe(url('/hosts'));
      // Who ends it at the provider is told so here, and can sign in otherwise.
      await guest.open(url('/sign-in'));
      await guest.click('link', 'Sign in with Kestrel Ferries');
      await guest.click('button', 'Cancel');
      await guest.see('did not let you in, or you ended it there');
      await guest.find("//input[@name='login']");
    } finally {
      await guest.close();
    }
    await b.open(url('/people'));
    await b.find("//tr[td[.='noor']]//*[.='by provider']");
    await b.click('button', 'Sign-in of noor');
    await b.choose('Signs in by', 'password');
    await b.click('button', 'Save', "//*[@role='dialog']");
    await b.find("//tr[td[.='noor'] and td[.='no']]");
  });
  it('are added with a link that is shown once: whoever opens it chooses the password, and is signed in', async () => {
    await b.open(url('/people'));
    await b.click('button', 'Add account…');
    await b.type('Login', 'rui');
    await b.type('Name', 'Rui Tavares');
    await b.choose('Role', 'reader');
    await b.click('button', 'Add', "//*[@role='dialog']");
    await b.see('shown only now');
    const link = (await b.textOf("//*[@role='dialog']//button[contains(@class, 'mono')]")).replace(/\s/g, '');
    await shot('invited');
    await b.click('button', 'Close');
    const guest = await openBrowser();
    try {
      await guest.open(link);
      await guest.see('Rui Tavares');
      await guest.type('Password', 'password2026!');
      await guest.type('Repeat password', 'password2026!');
      await guest.act("//button[.='Sign in' and not(@disabled)]");
      await guest.see('many people have it');
      if (process.env.SHOTS) await guest.picture(join(process.env.SHOTS, 'join.png'));
      await guest.type('Password', 'lantern over wet granite');
      await guest.type('Repeat password', 'lantern over wet granite');
      await guest.act("//button[.='Sign in' and not(@disabled)]");
      await guest.see('Next moves');
      // It is good once.
      await guest.open(url('/estate'));
      await guest.open(link);
      await guest.driver.navigate().refresh();
      await guest.see('This link has been used');
    } finally {
      await guest.close();
    }
    const r = await fetch(url('/api/sign-in'), {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ login: 'rui', password: 'lantern over wet granite' }),
    });
    expect(r.status).toBe(200);
    await b.driver.navigate().refresh();
    await b.find("//tr[td[.='rui']]//*[contains(., 'in 2 browsers')]");
    await shot('people');
    await b.click('button', 'Disable rui');
    await b.find("//tr[td[.='rui']]//*[.='disabled']");
    // An act without a dialog says what was refused, and why, at the foot of the page.
    await b.click('button', 'Disable warden');
    await b.see('It is the last warden');
    const cookie = (r.headers.getSetCookie()[0] ?? '').split(';')[0] as string;
    expect((await fetch(url('/api/me'), { headers: { cookie } })).status).toBe(401);
  });
  it('makes a token for a program: told once, used from a command line, seen to be used, and ended', async () => {
    await b.open(url('/people'));
    await b.act("//button[.='Make a token…' and not(@disabled)]");
    await b.find("//*[@role='dialog']//button[.='Make' and @disabled]");
    await b.type('Name', 'nightly');
    await b.act("//*[@role='dialog']//button[.='Make' and not(@disabled)]");
    await b.see('shown only now');
    const lines = await Promise.all(
      (await b.driver.findElements(By.css('[role=dialog] button.mono'))).map(async (e) =>
        (await e.getText()).replaceAll('\n', ''),
      ),
    );
    const token = lines.find((l) => /^praesidor-[\w-]+$/.test(l)) ?? '';
    await shot('token');
    // What is shown to be copied is what works.
    const curl = lines.find((l) => l.startsWith('curl')) ?? '';
    const said = await promisify(execFile)('sh', ['-c', `${curl} -s --max-time 10 -o /dev/null -w '%{http_code}'`]);
    expect([curl.includes(token), said.stdout]).toEqual([true, '200']);
    await b.click('button', 'Close');
    await b.driver.navigate().refresh();
    const row = "//table[@aria-label='Your tokens']//tr[contains(., 'nightly')][contains(., 'look at the plan')]";
    await b.find(`${row}[contains(., '127.0.0.1')]`);
    await b.click('button', 'End nightly');
    await b.see('None: a program that works here by itself needs one.');
    expect((await fetch(url('/api/estate'), { headers: { authorization: `Bearer ${token}` } })).status).toBe(401);
  });
});

describe('the keyring', () => {
  it('says where an entry may be sent, changes that, and keeps what is in use', async () => {
    await b.open(url('/keyring'));
    await b.see('May be sent to');
    await shot('keyring');
    await b.click('button', 'Change bmc-lr');
    const area = await b.find("//*[@role='dialog']//textarea");
    await area.sendKeys(Key.chord(Key.CONTROL, 'a'), 'not a place!');
    await b.see('is neither a document');
    await area.sendKeys(Key.chord(Key.CONTROL, 'a'), '10.62.7.0/25');
    await b.click('button', 'Save');
    await b.find("//tr[td[.='bmc-lr']]//td[.='10.62.7.0/25']");
    await b.click('button', 'Remove bw-registry');
    await b.click('button', 'Remove', "//*[@role='dialog']");
    await b.see('bw-registry is in use');
    await b.find("//*[@role='dialog']//a[contains(., 'Choose another credential for Registry bw-registry')]");
    await shot('in-use');
  });
});
