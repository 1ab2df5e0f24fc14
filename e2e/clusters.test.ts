import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Charter } from '@praesidor/core/model';
import { type Client, eventually, Installation } from '../apps/server/test/installation.ts';
import { axeFaults } from './lib/axe.ts';
import { type Browser, openBrowser } from './lib/browser.ts';

/** Charters: begun from a template, with more than one pool, as text with comments, and by their files. */
const i = new Installation();
let b: Browser;
let c: Client;
const open = (path: string) => b.open(i.config.publicUrl + path);
beforeAll(async () => {
  await i.start();
  b = await openBrowser();
  c = await i.as('warden');
  await open('/sign-in');
  await b.driver.manage().addCookie({ name: 'praesidor', value: c.cookie.split('=')[1] as string, path: '/' });
  await eventually(async () => (await c.estate()).observed.bills['1.34.2'], 'what is outside was looked at');
});
afterAll(async () => {
  await b?.close();
  await i.stop();
});
const charter = async (name: string) => (await c.estate()).charters.find((x) => x.name === name) as Charter;

describe('all clusters in one list', () => {
  const names = async () =>
    (await b.driver.executeScript<string>(
      "return [...document.querySelectorAll('table[aria-label=Clusters] tbody tr')].map((r) => r.querySelector('span').textContent).join(' ')",
    )) ?? '';
  const shows = (want: string) => b.driver.wait(async () => (await names()) === want, b.timeoutMs, `the list shows ${want}`);
  it('are filtered by facts, sorted by what stands in a column, and both stay over reload', async () => {
    await open('/clusters');
    await shows('dunlin gannet petrel plover tern turnstone');
    await b.type('Filter clusters by facts', 'state:serving');
    await shows('petrel tern');
    await b.find(
      "//table[@aria-label='Clusters']//tr[contains(., 'tern') and contains(., 'ticketing') and contains(., '9 of 9')]",
    );
    await b.click('button', 'Usable');
    await shows('petrel tern');
    await b.clickText('Usable');
    await shows('tern petrel');
    await b.driver.navigate().refresh();
    await shows('tern petrel');
    await b.type('Filter clusters by facts', 'team:aboard -state:serving');
    await shows('turnstone dunlin');
    await b.type('Filter clusters by facts', 'proof:fails');
    await b.click('button', 'Clear the filter');
    await b.driver.wait(async () => (await names()).split(' ').length === 6, b.timeoutMs, 'all of them again');
    await b.type('Filter clusters by facts', 'stat:serving ');
    await b.see('stat is no fact; did you mean state?');
  });
});
describe('a template', () => {
  it('shows its clusters, where each differs, and what its version changes for which', async () => {
    await open('/clusters');
    await b.clickText('Templates');
    await b.act("//tr[contains(., 'ship-edge')]");
    const row = (name: string) => `//table[@aria-label='Clusters of it']//tr[contains(., '${name}')]`;
    await b.find(`${row('MV Petrel')}[contains(., 'Release, Pods wait')]`);
    await b.find(`${row('MV Sandling')}[contains(., 'not declared')]`);
    await b.find(
      "//table[@aria-label='What version 7 changes against 6']//tr[contains(., 'Release') and contains(., '1.34.2') and contains(., 'rolling')]",
    );
    await b.act("//button[contains(@aria-label, 'Where dunlin differs')]");
    await b.act(
      "//table[@aria-label='Fields in which dunlin differs']//tr[contains(., '10.144.64.0/18')]//button[.='On purpose']",
    );
    await b.click('button', 'Make this change');
    await eventually(async () => (await charter('dunlin')).template?.onPurpose?.includes('pods.range'), 'it is meant so');
    await b.gone('Pods departs from ship-edge');
  });
  it('gives a new charter by its answers: what follows is there, what does not is asked', async () => {
    await open('/clusters/new?template=ship-edge&site=sdl');
    await b.see('4 not answered');
    await b.type('What is the cluster called?', 'sandling');
    await b.type('How many hosts are the control plane?', '12');
    await b.type('How many hosts are workers?', '0');
    await b.choose('Which registry do its nodes pull from?', 'bw-registry');
    await b.type('Which addresses do published services get?', '10.73.1.20-10.73.1.23');
    // Twelve are no control plane: it is told at the question, and nothing can be saved.
    await b.see('controlPlane.count');
    await b.find("//button[.='Save charter' and @disabled]");
    await b.driver.executeScript("document.querySelectorAll('main input')[1].select()");
    await b.type('How many hosts are the control plane?', '1');
    await b.act("//button[.='Save charter' and not(@disabled)]");
    await b.find("//h1[.='sandling']");
    expect(await charter('sandling')).toMatchObject({
      controlPlane: { count: 1 },
      pods: { range: '10.144.64.0/18' },
      timers: { tolerate: 60 },
      template: { name: 'ship-edge', version: 7 },
    });
  });
  it('brings a cluster to its newest version as a draft, which shows what it does before it is saved', async () => {
    await open('/clusters/templates/ship-edge');
    await b.act("//tr[contains(., 'MV Turnstone')]//button[.='Bring to 7…']");
    await b.find("//h1[.='turnstone']");
    await b.act("//button[.='Consequences and save…' and not(@disabled)]");
    await b.see('files change');
    await b.click('button', 'Save and hold hosts');
    await eventually(async () => (await charter('turnstone')).release === '1.34.2', 'it was saved');
    expect((await charter('turnstone')).template?.version).toBe(7);
  });
  it('rolls a version out in waves: images ahead to all, and what stops a cluster stops its wave', async () => {
    await open('/clusters/templates/ship-edge');
    await b.click('button', 'Roll out…');
    const waves = "//table[@aria-label='Clusters in their waves']";
    await b.find(`${waves}//tr[contains(., 'petrel')][td[2][.='1']][contains(., '6 → 7')]`);
    await b.find(`${waves}//tr[contains(., 'dunlin')][td[2][.='2']][contains(., 'it is not built')]`);
    await b.type('First wave', '0');
    await b.find(`${waves}//tr[contains(., 'dunlin')][td[2][.='1']]`);
    await b.type('First wave', '1');
    await b.type('Rest', '0');
    await b.choose('When', 'docked');
    expect(await axeFaults(b)).toEqual([]);
    await b.act("//*[@role='dialog']//button[.='Roll out' and not(@disabled)]");
    const row = (name: string) => `//table[@aria-label='Roll-out']//tr[td[1][.='${name}']]`;
    await b.find(
      `${row('petrel')}[td[3][contains(., 'brought to version 7')]][td[4][contains(., 'stands as the version says')]]`,
    );
    await b.find(`${row('dunlin')}[td[3][contains(., 'CHT-003 Pod range also belongs to petrel')]]`);
    expect((await charter('petrel')).template?.version).toBe(7);
    expect(await axeFaults(b)).toEqual([]);
    await b.find("//section[@aria-label='Roll-out']//h2[contains(., 'failed, 1 of 2 clusters')]");
    await c.good('POST', '/api/edits', {
      why: 'a range of its own',
      edits: [{ op: 'set', kind: 'Charter', key: 'dunlin', path: ['pods', 'range'], value: '10.144.192.0/18' }],
    });
    await b.click('button', 'Resume');
    await b.find("//section[@aria-label='Roll-out']//h2[contains(., 'done, 2 of 2 clusters')]");
    expect((await charter('dunlin')).template?.version).toBe(7);
  });
});

describe('a sheet', () => {
  it('takes a further pool when it is whole, and shows what follows from it', async () => {
    await open('/clusters/tern');
    await b.act("//button[@data-field='pools']");
    await b.act("//div[@role='dialog']//button[.='Add']");
    await b.type('Pool', 'archive');
    await b.find("//div[@role='dialog']//button[.='Apply' and @disabled]");
    await b.type('Hosts', '1');
    await b.act("//div[@role='dialog']//button[.='Apply' and not(@disabled)]");
    await b.find("//button[@data-field='pools'][contains(., 'archive 1')]");
    await b.find("//section[@aria-label='Hosts and roles']//div[contains(., 'archive')][contains(., 'bw-')]");
    await b.click('button', 'Discard draft');
  });
  it('answers what an add-on asks, from the questions of its add-ons alone', async () => {
    const questions = [{ key: 'log-server', ask: 'Where do logs go?', type: 'text' }];
    await c.good('POST', '/api/edits', {
      why: 'logs go where each site says',
      edits: [{ op: 'set', kind: 'Addon', key: 'log-shipper', path: ['questions'], value: questions }],
    });
    await open('/clusters/tern');
    await b.see('log-shipper waits for an answer: log-server');
    await b.act("//button[@data-field='answers'][contains(., 'none')]");
    await b.act("//div[@role='dialog']//button[.='Add']");
    await b.choose('Add-on', 'log-shipper');
    await b.choose('Question', 'log-server');
    await b.type('Answer', 'logs.bw.example');
    await b.act("//div[@role='dialog']//button[.='Apply' and not(@disabled)]");
    await b.find("//button[@data-field='answers'][contains(., 'log-server')]");
    await b.find("//section[@aria-label='Release and images']//div[contains(., 'log-server logs.bw.example')]");
    await b.gone('log-shipper waits for an answer: log-server');
    await b.click('button', 'Discard draft');
    await c.good('POST', '/api/edits', {
      why: 'as before',
      edits: [{ op: 'set', kind: 'Addon', key: 'log-shipper', path: ['questions'], value: undefined }],
    });
  });
  it('leads from a field to the lines of files that come from it, and from a line to its field', async () => {
    await open('/clusters/tern');
    await b.act("//a[@title='Lines of files that come from Services']");
    await b.see('come from Services');
    await b.act("//button[@title='hosts/bw-01/root/etc/kubernetes/kubelet.yaml']");
    const line = "//button[@data-line][contains(., '10.133.0.10')]";
    expect(await b.attribute(line, 'class')).toContain('lit');
    await b.act(line);
    await b.act("//button[@title='services.range']");
    await b.find("//button[@data-field='services.range']");
    await eventually(
      async () => (await b.driver.executeScript<string>('return document.activeElement.dataset.field')) === 'services.range',
      'the field has the focus',
    );
  });
});

describe('the text of a charter', () => {
  it('offers what can stand at a place, and says on hover what a field is', async () => {
    // A text that is wholly in sight: lines that are not are not drawn.
    await open('/clusters/gannet?tab=text');
    const editor = await b.find("//*[@aria-label='Charter as text']");
    await editor.click();
    await b.driver.actions().keyDown('\uE009').sendKeys('\uE010').keyUp('\uE009').sendKeys('syslo').perform();
    // It is put to its place after it is drawn: before that a click would scroll to where nobody sees it.
    const offer =
      "//*[contains(@class, 'cm-tooltip-autocomplete')]//li[contains(., 'syslog')][contains(., 'A server that takes syslog')]";
    await eventually(async () => {
      const e = await b.find(offer);
      return e.getRect().then(
        (r) => r.y > 0 && e.click().then(() => true),
        () => false,
      );
    }, 'it is offered where it is typed');
    await b.find("//*[contains(@class, 'cm-line')][contains(., 'syslog: ')]");
    // The pointer comes to rest on a name; lines are drawn anew under it, and it comes again.
    const said = "//*[contains(@class, 'cm-tooltip-hover')][contains(., 'Addresses of the nodes come from it')]";
    let x = 0;
    await eventually(async () => {
      const name = await b.find("//*[contains(@class, 'cm-line')]/span[.='machineNetwork']");
      const moved = b.driver.actions().move({ origin: name as never, x: ++x % 5, y: 1 });
      return moved.perform().then(
        () => b.find(said, 1000).catch(() => undefined),
        () => undefined,
      );
    }, 'it is said what the field is');
    await b.click('button', 'Discard draft');
  });
  it('keeps every letter where the page is drawn slower than somebody types, and goes back when the draft is discarded', async () => {
    // A text that is wholly in sight: lines that are not are not drawn.
    await open('/clusters/gannet?tab=text');
    const editor = await b.find("//*[@aria-label='Charter as text']");
    const text = () =>
      b.driver.executeScript<string>("return [...document.querySelectorAll('.cm-line')].map((l) => l.textContent).join('\\n')");
    const before = await text();
    await b.driver.sendDevToolsCommand('Emulation.setCPUThrottlingRate', { rate: 8 });
    try {
      await editor.click();
      await b.driver.actions().keyDown('\uE009').sendKeys('\uE010').keyUp('\uE009').perform();
      // Some of it can be read, and some of it cannot.
      await editor.sendKeys('ntp');
      // What is said above the text pushes it down; the line that is typed in stays where it is seen.
      await b.find("//main//*[@role='alert']");
      const bottom = "return [...document.querySelectorAll('.cm-line')].pop().getBoundingClientRect().bottom";
      expect(await b.driver.executeScript<number>(bottom)).toBeLessThan(770);
      // Faster than any hand, so that the page is drawn for a letter when the next ones are there already.
      await b.driver.executeScript(
        `
        const letters = arguments[0];
        let n = 0;
        const next = () => {
          if (n === letters.length) return (window.typed = true);
          document.execCommand('insertText', false, letters[n++]);
          setTimeout(next, 1);
        };
        next();`,
        ': [10.62.8.9, 10.62.8.10]',
      );
      await eventually(() => b.driver.executeScript<boolean>('return window.typed === true'), 'all is typed');
      await b.find("//button[.='Discard draft']");
    } finally {
      await b.driver.sendDevToolsCommand('Emulation.setCPUThrottlingRate', { rate: 1 });
    }
    await b.find("//button[.='Consequences and save…' and not(@disabled)]");
    expect(await text()).toContain('ntp: [10.62.8.9, 10.62.8.10]');
    // It can be saved once it is known what that does, and not before.
    await b.driver.executeScript(`
      [...document.querySelectorAll('button')].find((x) => x.textContent === 'Consequences and save…').click();
      const look = () => {
        const dialog = document.querySelector('[role=dialog]')?.textContent ?? '';
        const save = [...document.querySelectorAll('[role=dialog] button')].find((x) => x.textContent === 'Save and hold hosts');
        if (save && !save.disabled) window.early = dialog.includes('being written');
        else requestAnimationFrame(look);
      };
      look();`);
    await eventually(() => b.driver.executeScript<boolean>('return window.early !== undefined'), 'it can be saved');
    expect(await b.driver.executeScript<boolean>('return window.early')).toBe(false);
    await b.click('button', 'Cancel');
    await b.click('button', 'Discard draft');
    await eventually(async () => (await text()) === before, 'the text is as it was');
  });
  it('keeps its comments when it is saved, and when a field is set elsewhere afterwards', async () => {
    const text = `# Staging: may be torn down at any time.\n${(await c.good<{ text: string }>('GET', '/api/charters/gannet')).text}`;
    const doc = await charter('gannet');
    await c.good('PUT', '/api/charters/gannet', { text, base: doc, hold: false });
    await c.good('POST', '/api/edits', {
      why: 'x',
      edits: [{ op: 'set', kind: 'Charter', key: 'gannet', path: ['owner'], value: 'staging' }],
    });
    await open('/clusters/gannet?tab=text');
    await b.see('# Staging: may be torn down at any time.');
    await b.see('staging');
    const now = (await c.good<{ text: string }>('GET', '/api/charters/gannet')).text;
    expect(now).toMatch(/^# Staging/);
    expect(now).toContain('owner: staging');
  });
});
