import { Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Installation } from '../apps/server/test/installation.ts';
import { axeFaults } from './lib/axe.ts';
import { type Browser, openBrowser } from './lib/browser.ts';

const i = new Installation();
let b: Browser;
beforeAll(async () => {
  await i.start();
  b = await openBrowser();
  const c = await i.as('warden');
  await c.good('POST', '/api/proposals', {
    title: 'larger packets at Lantern Rock',
    edits: [{ op: 'set', kind: 'Network', key: 'lr-machine', path: ['mtu'], value: 9000 }],
  });
  await b.open(i.config.publicUrl);
  await b.driver.manage().addCookie({ name: 'praesidor', value: c.cookie.split('=')[1] as string, path: '/' });
});
afterAll(async () => {
  await b?.close();
  await i.stop();
});

/** Every view with its main heading, and the dialogs that it opens, by the act that does. */
const views: [path: string, heading: string, dialogs: string[]][] = [
  ['/estate', 'Estate', []],
  ['/declare?kind=Network&site=lr', 'Declare', []],
  ['/hosts?site=bw', 'Hosts', ['Import CSV…', 'Sweep for hosts…']],
  ['/hosts/racks?site=bw', 'Racks', []],
  ['/hosts/hypervisors?site=bw', 'Hypervisors', ['Cast guests…']],
  ['/hosts/profiles', 'Requirements', []],
  ['/hosts/bw-03?site=bw', 'bw-03', []],
  ['/addresses?site=lr&net=lr-machine', 'Addresses', ['Import CSV…', 'Reserve…']],
  ['/addresses/names?site=lr', 'Names', ['Add a record…']],
  ['/addresses/routes?site=lr', 'Routes', ['Add a route…']],
  ['/addresses/trace?site=lr&from=lr-up-b&to=plover/radar-archive', 'Trace', ['Add the missing route…']],
  ['/images?site=lr', 'Images', ['Plan a shipment…', 'Take in releases…']],
  ['/images/rules', 'Rules and trust', []],
  ['/images/pulls', 'Pulls', []],
  ['/images/clean-up?registry=bw-registry', 'Clean up', []],
  ['/clusters', 'Clusters', []],
  ['/clusters/templates', 'Templates', []],
  ['/clusters/templates/ship-edge', 'ship-edge', []],
  ['/clusters/templates/ship-edge?tab=questions', 'ship-edge', []],
  ['/clusters/templates/ship-edge?tab=versions', 'ship-edge', []],
  ['/clusters/new?template=ship-edge&site=sdl', 'New charter', []],
  ['/clusters/plover?site=lr', 'plover', ['Accept…']],
  ['/clusters/plover?site=lr&tab=text', 'plover', []],
  ['/clusters/tern?site=bw&tab=files', 'tern', []],
  ['/clusters/tern?site=bw&tab=reach', 'tern', []],
  ['/clusters/tern?site=bw&tab=volumes', 'tern', []],
  ['/clusters/plover?site=lr&tab=applications', 'plover', ['Install…', 'Install manifests…']],
  ['/clusters/existing?site=lr', 'Take in a cluster', []],
  ['/clusters/stores', 'Backup stores', []],
  ['/clusters/petrel?tab=reach', 'petrel', []],
  ['/clusters/petrel?tab=requirements', 'petrel', []],
  ['/clusters/gannet/change', 'Build gannet', []],
  ['/clusters/tern/change', 'tern', []],
  ['/builds', 'Builds', []],
  ['/rehearse?cluster=tern', 'Rehearse', []],
  ['/rehearse/cold-start?of=bw', 'Cold start', []],
  ['/proposals', 'Proposals', []],
  ['/estate/installations', 'Installations', ['Add an installation…']],
  ['/estate/by-dependency', 'By dependency', []],
  ['/estate/changed?since=720', 'What changed', []],
  ['/estate/side-by-side?one=ptl&other=dnl', 'Side by side', []],
  ['/estate/book?site=lr', 'Site book', []],
  ['/estate/new-sites', 'New sites', []],
  ['/proposals/1', 'larger packets at', ['Make the changes…', 'Withdraw…']],
  ['/keyring', 'Keyring', ['Add…']],
  ['/people', 'People', ['Change your password…']],
  ['/people/teams', 'Teams', []],
  ['/people/sign-in', 'Sign-in provider', []],
  ['/record', 'Record', []],
  ['/notices', 'Notices', ['Add…']],
  ['/proving', 'Proving ground', []],
  ['/nowhere', 'There is no such page', []],
];
const theme = (name: string) =>
  b.driver.executeScript(
    'localStorage.setItem("theme", arguments[0]); document.documentElement.dataset.theme = arguments[0]',
    name,
  );
/** What axe finds of what is on the page: everything by day, and by night what the other colours make of it. */
const faults = async () => {
  const day = await axeFaults(b);
  await theme('night');
  const night = await axeFaults(b, ['color-contrast', 'link-in-text-block']);
  await theme('light');
  return [...day, ...night.map((f) => `by night: ${f}`)];
};
const focus = () =>
  b.driver.executeScript<{ tag: string; row: boolean; margin: boolean; id: string }>(
    'const e = document.activeElement; return { tag: e.tagName, id: e.id, row: !!e.closest("[data-row], .grid-table > tbody > tr"), margin: !!e.closest("aside") }',
  );
const shown = async (path: string, heading: string) => {
  await b.open(i.config.publicUrl + path);
  await b.find(`//h1[contains(., "${heading}")]`);
};

describe('every view', () => {
  it.each(views)(
    '%s has nothing that axe finds, in both themes, with its dialogs open, and is used with the keyboard',
    async (path, heading, dialogs) => {
      await theme('light');
      await shown(path, heading);
      await b.driver.wait(async () => (await b.driver.executeScript('return document.readyState')) === 'complete', b.timeoutMs);
      expect([path, await faults()]).toEqual([path, []]);
      for (const act of dialogs) {
        await b.click('button', act);
        await b.find("//*[@role='dialog']");
        expect([path, act, await faults()]).toEqual([path, act, []]);
        await b.press(Key.ESCAPE);
        await b.driver.wait(async () => (await b.count('[role=dialog]')) === 0, b.timeoutMs);
        // What had the focus has gone; the page as a whole does not keep it.
        await b.driver.wait(async () => (await focus()).tag !== 'BODY', b.timeoutMs, `${act}: the focus fell to the page`);
      }
      if (path !== '/nowhere') await keys(path);
    },
  );
});

/** J goes to a row, N to a finding; the list of keys begins with those of the view; the focus is never lost. */
async function keys(path: string): Promise<void> {
  const rows = await b.driver.executeScript<number>(
    'return [...document.querySelectorAll("main [data-row], main .grid-table > tbody > tr")].filter((r) => r.getClientRects().length).length',
  );
  await b.driver.executeScript('document.activeElement.blur()');
  if (rows) {
    await b.press('j');
    expect([path, (await focus()).row]).toEqual([path, true]);
  }
  if (await b.count('aside li[data-finding]')) {
    await b.press('n');
    expect([path, (await focus()).margin]).toEqual([path, true]);
  }
  await b.press('?');
  await b.find("//*[@role='dialog']//h2[.='Keys']");
  const first = await b.driver.executeScript<string>('return document.querySelector("[role=dialog] tbody td").textContent');
  if (rows) expect([path, first.startsWith('G ')]).toEqual([path, false]);
  await b.press(Key.ESCAPE);
  await b.driver.wait(async () => (await b.count('[role=dialog]')) === 0, b.timeoutMs);
  await b.press('ga');
  await b.find("//h1[.='Addresses']");
  await b.driver.wait(async () => (await focus()).tag !== 'BODY', b.timeoutMs, 'the focus fell to the page');
}

describe('keys that act', () => {
  it('E edits what is in focus, F asks for the next free address, from anywhere', async () => {
    await shown('/hosts?site=lr', 'Hosts');
    await b.find("//*[@role='row' and @data-row]");
    await b.press('j');
    await b.press('e');
    await b.find("//h1[.='Edit']");
    await b.find("//section[starts-with(@aria-label, 'Host lr-')]");
    await shown('/keyring', 'Keyring');
    await b.find('//tr[@data-row]');
    await b.press('j');
    await b.press('e');
    await b.find("//*[@role='dialog']//h2[starts-with(., 'Change ')]");
    await shown('/clusters/plover?site=lr', 'plover');
    await b.find("//button[starts-with(@aria-label, 'Pods: ')]");
    await b.press('f');
    await b.find("//*[@role='dialog']//h2[contains(., 'Reserve')]");
  });
  it('go to finds an act with its subject, a digest and a file, and goes there', async () => {
    await shown('/estate', 'Estate');
    for (const [typed, first, heading] of [
      ['ship to lr-registry', 'ship to lr-registry', 'Images'],
      ['build plover', 'build plover', 'plover'],
      ['lr-registry', 'lr-registry', 'Images'],
    ] as const) {
      await b.press('/');
      await b.type('Go to, or do', typed);
      await b.find(`//*[@cmdk-item][1]//*[normalize-space(.)='${first}']`);
      await b.press(Key.ENTER);
      await b.find(`//h1[contains(., '${heading}')]`);
      await shown('/estate', 'Estate');
    }
    const { observed } = await (await i.as('warden')).estate();
    const image = observed.bills['1.34.2']?.images[3];
    await b.press('/');
    await b.type('Go to, or do', image?.digest.slice(0, 20) as string);
    await b.find(`//*[@cmdk-item]//*[normalize-space(.)='${image?.ref}']`);
    await b.type('Go to, or do', 'tern user-data bw-01');
    await b.find("//*[@cmdk-item]//*[contains(., 'tern: hosts/bw-01/user-data')]");
  });
});
