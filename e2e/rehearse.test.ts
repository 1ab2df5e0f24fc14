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
    await b.find(
      "//table[@aria-label='Changes that help']//tr[contains(., 'Move pods after 30 s')][contains(., '12 min 20 s → 7 min 50 s')]",
    );
    await b.act("//tr[contains(., 'Move pods after 30 s')]//button[.='Try it…']");
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
