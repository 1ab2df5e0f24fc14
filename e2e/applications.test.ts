import { join } from 'node:path';
import { Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Client, Installation, prepare, shipped, smallPublications } from '../apps/server/test/installation.ts';
import { Plover } from '../apps/server/test/plover.ts';
import { axeFaults } from './lib/axe.ts';
import { type Browser, openBrowser } from './lib/browser.ts';

/** Applications of a cluster that stands, installed and taken away in the browser. */
const i = new Installation();
let c: Client;
let b: Browser;
let plover: Plover;
const shot = async (name: string) => (process.env.SHOTS ? b.picture(join(process.env.SHOTS, `${name}.png`)) : undefined);
const fog = `apiVersion: apps/v1
kind: Deployment
metadata: {name: fog-signal, namespace: default}
spec:
  replicas: 2
  selector: {matchLabels: {app: fog-signal}}
  template:
    metadata: {labels: {app: fog-signal}}
    spec:
      containers: [{name: signal, image: '${smallPublications[0]?.image}'}]
`;
const manifests = "//textarea[@spellcheck='false']";
/** Applies what is due, as the page of the change would. */
const applied = async () => {
  const { body } = await plover.begin((await plover.due())?.kind ?? '');
  await plover.done(body.number);
};

beforeAll(async () => {
  await i.start({ also: smallPublications });
  c = await i.as('warden');
  plover = new Plover(i, c);
  b = await openBrowser();
  await b.open(i.config.publicUrl);
  await b.driver.manage().addCookie({ name: 'praesidor', value: c.cookie.split('=')[1] as string, path: '/' });
  await prepare(c);
  await b.open(`${i.config.publicUrl}/clusters/plover?site=lr&tab=applications`);
  await b.see('plover does not stand: what is here comes with its build');
  i.world.clock.setSpeed(3000);
  await c.good('POST', '/api/builds', { charter: 'plover' });
  await plover.done(1);
});
afterAll(async () => {
  await b?.close();
  await i.stop();
});

describe('applications in the browser', () => {
  it('are shown as the cluster tells them, by themselves when its build ended', async () => {
    await b.see('2 of 2 applications run');
    await b.find("//tr[.//*[text()='Log shipper']]//summary[contains(., 'all 3 as they should be')]");
    expect(await axeFaults(b)).toEqual([]);
  });
  it('of manifests of one’s own: faults with their line, images, and what keeps the change from being begun', async () => {
    await b.click('button', 'Install manifests…');
    const field = await b.find(manifests);
    await field.sendKeys('kind: Deployment\n');
    await b.see('line 1: apiVersion is missing');
    await field.sendKeys(Key.chord(Key.CONTROL, 'a'), fog);
    await b.see('1 image, which comes into the bill:');
    await b.see('Nothing else than now.');
    expect(await axeFaults(b)).toEqual([]);
    await shot('manifests');
    await b.click('button', 'Install');
    await b.see('1 application waits for a change.');
    await b.find("//tr[.//*[text()='fog-signal']][contains(., 'not installed yet')]");
    await b.see('are not at Lantern Rock');
  });
  it('come up, and are told without a click', async () => {
    await shipped(c, ['fog-signal']);
    await applied();
    await b.see('3 of 3 applications run');
    await shot('applications');
  });
  it('are taken away, and come again from the catalogue with the answers that they ask for', async () => {
    await (await b.find("//tr[.//*[text()='fog-signal']]//button[text()='Take away…']")).click();
    await b.see('Volumes that its claims hold stay');
    await b.click('button', 'Take away');
    await b.find("//tr[.//*[text()='fog-signal']][contains(., 'to be taken away')]");
    await applied();
    await b.see('2 of 2 applications run');
    await c.good('POST', '/api/edits', {
      why: 'it asks',
      edits: [
        {
          op: 'set',
          kind: 'Addon',
          key: 'fog-signal',
          path: ['questions'],
          value: [{ key: 'seconds', ask: 'How many seconds between two blasts?', type: 'number', atMost: 60 }],
        },
      ],
    });
    await b.click('button', 'Install…');
    await (await b.find("//input[@type='radio'][@value='fog-signal']")).click();
    await b.see('1 answer is missing or wrong.');
    const answer = await b.find("//table[@aria-label='Questions']//input");
    await answer.sendKeys('90');
    await b.see('90 is more than 60');
    await answer.sendKeys(Key.chord(Key.CONTROL, 'a'), '30');
    expect(await axeFaults(b)).toEqual([]);
    await shot('install');
    await b.click('button', 'Install');
    await b.find("//tr[.//*[text()='fog-signal']][contains(., 'not installed yet')]//button[text()='Answers…']");
    const charter = (await c.estate()).charters.find((x) => x.name === 'plover');
    expect(charter?.answers).toEqual([{ addon: 'fog-signal', question: 'seconds', answer: '30' }]);
  });
});

describe('a cluster that somebody else built, in the browser', () => {
  it('is read with its kubeconfig, compared with the charter that is drafted, taken in and proved', async () => {
    const { kubeconfig, hosts } = await plover.forgotten();
    await b.open(`${i.config.publicUrl}/clusters?site=lr`);
    await b.clickText('Take in a cluster…');
    await b.find("//button[.='Read the cluster' and @disabled]");
    const paste = async (text: string) => {
      const field = await b.find("//textarea[@id=//label[normalize-space(.)='Kubeconfig']/@for]");
      await b.driver.executeScript(
        `Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, 'value').set.call(arguments[0], arguments[1]);
         arguments[0].dispatchEvent(new Event('input', { bubbles: true }));`,
        field,
        text,
      );
    };
    await paste('kind: Pod');
    await b.act("//button[.='Read the cluster' and not(@disabled)]");
    await b.see('It is no kubeconfig');
    await paste(kubeconfig);
    await b.act("//button[.='Read the cluster' and not(@disabled)]");
    await b.find("//section[@aria-label='Comparison'][contains(., 'no difference')]");
    await b.find(`//table[@aria-label='Nodes']/tbody[count(tr) = ${hosts.length}]`);
    expect(await axeFaults(b)).toEqual([]);
    await shot('existing');
    await b.act("//button[.='Take in' and not(@disabled)]");
    await b.find("//h1[contains(., 'Take in plover')]");
    await b.see('nothing: the cluster is as planned');
    expect((await plover.serving()).map((h) => [h.name, h.held?.elsewhere]).sort()).toEqual(hosts.map((h) => [h, true]));
  });
  it('is released, once its name is typed: it runs on, and its hosts are free', async () => {
    await b.open(`${i.config.publicUrl}/clusters/plover?site=lr&tab=proof`);
    await b.see('That of where it was built');
    await b.clickText('Release plover…');
    await b.click('button', 'Release…');
    await b.type('Names', 'plover');
    await b.act("//*[@role='dialog']//button[.='Release' and not(@disabled)]");
    await b.find("//h1[contains(., 'Release plover')]");
    await b.see('3 of 3 steps');
    expect((await c.estate()).hosts.filter((h) => h.held?.charter === 'plover')).toEqual([]);
  });
});
