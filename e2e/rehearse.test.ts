import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Client, eventually, Installation } from '../apps/server/test/installation.ts';
import { type Browser, openBrowser } from './lib/browser.ts';

/** What a loss would do, as an engineer asks it: a case, all cases, and the change that helps. */
const i = new Installation();
let b: Browser;
let c: Client;
const open = (path: string) => b.open(i.config.publicUrl + path);
const line = (title: string, text: string) =>
  `//*[@role='row'][.//*[@role='rowheader'][contains(., '${title}')]][contains(., '${text}')]`;

beforeAll(async () => {
  await i.start();
  b = await openBrowser();
  c = await i.as('planner');
  await open('/sign-in');
  await b.driver.manage().addCookie({ name: 'praesidor', value: c.cookie.split('=')[1] as string, path: '/' });
});
afterAll(async () => {
  await b?.close();
  await i.stop();
});

describe('a rehearsal', () => {
  it('tells what is away for how long when one host is lost, and what does not come back', async () => {
    await open('/rehearse?site=bw&cluster=tern&lost=bw-02');
    await b.find(line('control plane', 'counts as lost'));
    await b.find(line('bookings', 'until mended'));
    await b.find(line('data', 'none lost'));
  });
  it('tells another case by a click, from the table or by what is lost', async () => {
    await b.act("//button[@role='radio'][.='a rack']");
    await b.find(line('control plane', '1 of 3: nothing can change'));
    await b.act("//table[@aria-label='Cases, worst first']//button[.='everything']");
    await b.find(line('control plane', '0 of 3: nothing can change'));
    await b.act("//button[starts-with(., 'Show all ')]");
    await b.act("//table[@aria-label='Cases, worst first']//button[.='bw-13']");
    await b.find(line('data', 'none lost'));
  });
  it('goes on: with the host back after a while, taken out of use by somebody, and with another loss after it', async () => {
    await open('/rehearse?site=bw&cluster=tern&lost=bw-02&back=30');
    // 30 min, and 40 s until it is ready.
    await b.find(line('bookings', '30 min 40 s'));
    await b.act("//label[contains(., 'How')]/select/option[.='taken out of use, drained first']");
    // 10 s until its volume is attached elsewhere, and 40 s.
    await b.find(line('bookings', '50 s'));
    await b.act("//label[contains(., 'Then lost')]/select/option[.='registry bw-registry']");
    await b.find("//label[contains(., 'after')]//input[@value='10']");
    expect(await b.driver.getCurrentUrl()).toContain('how=drained');
    await b.act("//button[starts-with(., 'Show all ')]");
  });
  it('goes down its lines with the arrows', async () => {
    await b.driver.executeScript("document.querySelector('[data-line]').focus()");
    await b.driver.executeScript(
      "document.activeElement.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowDown', bubbles: true }))",
    );
    expect(
      await b.driver.executeScript("return [...document.querySelectorAll('[data-line]')].indexOf(document.activeElement)"),
    ).toBe(1);
  });
  it('has a change tried: the charter has it, and the cases are others', async () => {
    await open('/rehearse?site=bw&cluster=tern&lost=bw-03');
    await b.act("//button[starts-with(., 'Show all ')]");
    await b.find(
      "//table[@aria-label='Changes that help']//tr[contains(., 'Move pods after 30 s')][contains(., '12 min 20 s → 7 min 50 s')]",
    );
    await b.act("//tr[contains(., 'Move pods after 30 s')]//button[.='Try it…']");
    // Side by side, for the case that is looked at: 300 s less.
    await b.find(
      "//table[@aria-label='Now, and with the change']//tr[contains(., 'timetable-db')][td[2][.='12 min 20 s']][td[3][.='7 min 50 s']]",
    );
    await b.act("//button[.='Make this change' and not(@disabled)]");
    const tolerate = async () => (await c.estate()).charters.find((x) => x.name === 'tern')?.timers?.tolerate;
    await eventually(async () => (await tolerate()) === 30, 'the charter has it');
    // 50 + 30 + 360 + 10 + 20 s.
    await b.find("//table[@aria-label='Cases, worst first']//tr[contains(., 'timetable-db 7 min 50 s')]");
  });
  it('of a cluster without hosts says that there is nothing to lose, and a reader changes nothing', async () => {
    await open('/rehearse?site=lr&cluster=plover');
    await b.see('Nothing to lose yet');
    const reader = await i.as('reader');
    await b.driver.manage().deleteAllCookies();
    await b.driver.manage().addCookie({ name: 'praesidor', value: reader.cookie.split('=')[1] as string, path: '/' });
    await open('/rehearse?site=bw&cluster=tern');
    await b.find("//table[@aria-label='Changes that help']//button[.='Try it…' and @disabled]");
  });
});

describe('a cold start', () => {
  const start = "//table[@aria-label='Order of start']";
  const box = (name: string) => `//*[@aria-label='Who waits for whom']/*[@role='button'][starts-with(., '${name}')]`;
  it('tells who waits for whom, as a drawing and as a list', async () => {
    await open('/rehearse/cold-start?of=bw');
    await b.find(`${start}//tr[contains(., 'Control plane of tern')][contains(., '2 of bw-01, bw-06, bw-11')]`);
    // Whoever is chosen is listed alone, each of its parts on a line.
    await b.act(box('6 hosts'));
    await b.find(`${start}//tr[contains(., 'bw-02')]`);
    await b.gone(`${start}//tr[contains(., 'Control plane of tern')]`);
    await b.act("//button[.='show all']");
    await b.find(`${start}//tr[contains(., 'Control plane of tern')]`);
  });
  it('goes backwards for a planned stop: work first, power last', async () => {
    await b.act("//button[@role='radio'][.='Planned stop']");
    await b.find("//*[@aria-label='Order of stop']//tbody/tr");
    const lines = await b.driver.executeScript(
      'return [...document.querySelectorAll(\'[aria-label="Order of stop"] tbody tr\')].map((r) => r.children[1].textContent)',
    );
    expect([(lines as string[])[0], (lines as string[]).at(-1)]).toEqual(['Service addresses of gannet', 'Power']);
  });
  it('says of a circle how it is broken, and breaks it', async () => {
    const warden = await i.as('warden');
    await b.driver.manage().addCookie({ name: 'praesidor', value: warden.cookie.split('=')[1] as string, path: '/' });
    // Names are asked of an address that the cluster itself publishes.
    await warden.good('POST', '/api/edits', {
      why: 'names by the cluster',
      edits: [{ op: 'set', kind: 'Site', key: 'bw', path: ['resolvers'], value: ['10.40.8.11'] }],
    });
    await open('/rehearse/cold-start?of=bw');
    await b.find(
      "//*[@aria-label='Circle'][contains(., 'DNS waits for Service addresses of tern waits for Nodes of tern waits for DNS')]",
    );
    await b.act("//button[.='Ask names also of 10.40.0.53…']");
    await b.act("//*[@role='dialog']//button[.='Make this change']");
    await b.gone("//*[@aria-label='Circle']");
    await eventually(async () => {
      const now = await c.good<{ estate: { sites: { name: string; resolvers: string[] }[] } }>('GET', '/api/estate');
      return now.estate.sites.find((s) => s.name === 'bw')?.resolvers.join() === '10.40.8.11,10.40.0.53';
    }, 'two resolvers');
  });
});
