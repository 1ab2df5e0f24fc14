import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { By, Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { builtOrBroken, eventually, Installation, prepare } from '../apps/server/test/installation.ts';
import { programAt } from '../apps/server/src/shell/confined.ts';
import { axeFaults } from './lib/axe.ts';
import { type Browser, openBrowser } from './lib/browser.ts';
import { keystrokes, within } from './lib/keystrokes.ts';

/** The shell of a cluster in the browser, with the real kubectl behind it. */
const i = new Installation();
let b: Browser;
const possible =
  spawnSync('unshare', ['--user', '--map-root-user', '--net', 'true']).status === 0 && programAt('kubectl') !== undefined;
if (!possible) process.stderr.write('No kubectl, or no user namespaces, here: the shell of a cluster is not tried.\n');
const shot = async (name: string) => (process.env.SHOTS ? b.picture(join(process.env.SHOTS, `${name}.png`)) : undefined);
let last = '';
/** What the terminal shows. */
const shown = async () => {
  const [rows] = await b.driver.findElements(By.css('.xterm-rows'));
  last = rows ? await rows.getText() : '';
  return last;
};
const shows = (text: string | RegExp) =>
  eventually(
    async () => (typeof text === 'string' ? (await shown()).includes(text) : text.test(await shown())),
    () => `${text} in the terminal: ${last}`,
    b.timeoutMs,
  );
const type = async (...keys: string[]) => (await b.find("//textarea[@aria-label='Command for plover']")).sendKeys(...keys);

describe.skipIf(!possible)('the shell of a cluster', () => {
  beforeAll(async () => {
    await i.start();
    const c = await i.as('warden');
    b = await openBrowser();
    await b.open(i.config.publicUrl);
    await b.driver.manage().addCookie({ name: 'praesidor', value: c.cookie.split('=')[1] as string, path: '/' });
    await b.open(`${i.config.publicUrl}/clusters/plover?tab=shell`);
    await b.see('No host of plover serves yet');
    await prepare(c);
    await c.good('POST', '/api/builds', { charter: 'plover' });
    expect((await builtOrBroken(c)).status.state).toBe('done');
  });
  afterAll(async () => {
    await b?.close();
    await i.stop();
  });

  it('says what kubectl says, keeps what was typed, and is used and left with the keyboard', async () => {
    await shows('plover look>');
    await type('get nodes', Key.ENTER);
    await shows(/lr-08 +Ready/);
    await type('delete node lr-08', Key.ENTER);
    await shows('User "warden" cannot delete resource "nodes"');
    await shows('exit code 1');
    await type(Key.ARROW_UP, Key.ARROW_UP, ' -o name', Key.ENTER);
    await shows(/node\/lr-02/);
    await type('get pods | wc', Key.ENTER);
    await shows('there is no shell behind it');
    await shot('shell');
    expect(await axeFaults(b)).toEqual([]);
    await type(Key.TAB);
    await b.driver.wait(
      async () => (await b.driver.executeScript('return document.activeElement.tagName')) !== 'TEXTAREA',
      b.timeoutMs,
      'Tab does not leave the terminal',
    );
  });
  it('takes another role when that is chosen, and ends what is stopped', async () => {
    await b.choose('Role', 'administrator');
    await shows('plover administrator>');
    await type('get secrets -A', Key.ENTER);
    // What is typed while it runs is not lost.
    await type('get nodes -w', Key.ENTER);
    await shows(/nodes -w[\s\S]*lr-08/);
    await type(Key.chord(Key.CONTROL, 'c'));
    await shows('stopped');
    await type('get nodes -w', Key.ENTER);
    await shows(/stopped[\s\S]*nodes -w[\s\S]*lr-08/);
    await b.click('button', 'Stop');
    await b.find("//button[.='Stop' and @disabled]");
    const rows = await i.query<{ detail: { command: string; role: string } }>(
      "select detail from audit where act = 'ran kubectl' order by id",
    );
    expect(rows.map((r) => `${r.detail.role}: ${r.detail.command}`)).toEqual([
      'view: get nodes',
      'view: delete node lr-08',
      'view: get nodes -o name',
      'administrator: get secrets -A',
      'administrator: get nodes -w',
      'administrator: get nodes -w',
    ]);
  });
  it('shows each key that is typed within 50 ms', async () => {
    await b.open(`${i.config.publicUrl}/clusters/plover?tab=shell`);
    await shows('plover look>');
    const taken = await keystrokes(b, '.xterm-helper-textarea', '.xterm-rows');
    process.stderr.write(
      `shell: half of the keys are shown in ${within(taken, 0.5)} ms, 99 of 100 in ${within(taken, 0.99)} ms\n`,
    );
    expect(taken.length).toBe(200);
    expect(within(taken, 0.5)).toBeLessThanOrEqual(50);
  });
});
