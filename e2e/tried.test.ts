import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { declareVolume, deployVolume } from '../apps/server/test/volume-of-plover.ts';
import { builtOrBroken, type Client, eventually, Installation, prepare } from '../apps/server/test/installation.ts';
import { type Browser, openBrowser } from './lib/browser.ts';

/** What was rehearsed, tried: a host is switched off, and a site is shut down and started again. */
const i = new Installation();
let b: Browser;
let c: Client;
let there: Awaited<ReturnType<typeof deployVolume>>;
const shot = async (name: string) => (process.env.SHOTS ? b.picture(join(process.env.SHOTS, `${name}.png`)) : undefined);
const open = (path: string) => b.open(i.config.publicUrl + path);
const as = async (cookie: string) => {
  await b.driver.manage().deleteAllCookies();
  await b.driver.manage().addCookie({ name: 'praesidor', value: cookie.split('=')[1] as string, path: '/' });
};

beforeAll(async () => {
  await i.start({ timeoutSeconds: 20 });
  b = await openBrowser();
  c = await i.as('warden');
  await prepare(c);
  await declareVolume(c);
  await c.good('POST', '/api/builds', { charter: 'plover' });
  expect((await builtOrBroken(c)).status.state).toBe('done');
  there = await deployVolume(i);
  await open('/sign-in');
  await as(c.cookie);
});
afterAll(async () => {
  await b?.close();
  await i.stop();
});

describe('what was rehearsed', () => {
  it('switches a host off once its name is typed, and shows what came beside what was rehearsed', async () => {
    i.world.clock.setSpeed(60);
    const { host } = there;
    await open(`/rehearse?cluster=plover&lost=${host}`);
    await b.see(`${host} serves, and was never switched off to see what happens`);
    await b.act(`//button[.='Switch ${host} off…' and not(@disabled)]`);
    await b.find("//*[@role='dialog']//button[.='Switch off' and @disabled]");
    await b.type('Type its name', host);
    await b.act("//*[@role='dialog']//button[.='Switch off' and not(@disabled)]");
    await b.see('switch it off, and look');
    await eventually(async () => i.world.machines.get(host)?.power === 'Off', 'it is off');
    const line = "//table[@aria-label='Measured beside rehearsed']//tr";
    await b.find(`${line}[contains(., 'counts as lost')][contains(., '40 s to 55 s')][contains(., 'as rehearsed')]`);
    // Its volume lies on that host alone.
    await b.find(`${line}[contains(., 'ais-store')][contains(., 'not by itself')][contains(., 'not while it was looked at')]`);
    await b.see('after it was switched on');
    expect(i.world.machines.get(host)?.power).toBe('On');
    await shot('tried');
    // Of several hosts all are named, and the name of the case is typed.
    const [first = '', second = ''] = (await c.estate()).hosts.flatMap((h) =>
      h.held?.charter === 'plover' && h.held.role === 'worker' ? [h.name] : [],
    );
    await open(`/rehearse?cluster=plover&lost=${first}+and+${second}`);
    await b.see(`${first} and ${second} were never switched off to see what happens`);
    await b.act("//button[.='Switch 2 hosts off…' and not(@disabled)]");
    await b.type('Type its name', first);
    await b.find("//*[@role='dialog'][contains(., 'is cut, as in a loss')]//button[.='Switch off' and @disabled]");
    await b.type('Type its name', `${first} and ${second}`);
    await b.find("//*[@role='dialog']//button[.='Switch off' and not(@disabled)]");
    await shot('tried-two');
    await b.act("//*[@role='dialog']//button[.='Cancel']");
  });
  it('shuts a site down in turns, and starts it again, once its name is typed', async () => {
    i.world.clock.setSpeed(2000);
    const members = (await c.estate()).hosts.flatMap((h) => (h.held?.charter === 'plover' ? [h.name] : []));
    const power = () => [...new Set(members.map((h) => i.world.machines.get(h)?.power))].join();
    await open('/rehearse/cold-start?of=lr&order=stop');
    await b.see('6 hosts can be shut down from here');
    await b.act("//button[.='Shut Lantern Rock down…' and not(@disabled)]");
    await b.find("//*[@role='dialog']//button[.='Shut down' and @disabled]");
    await b.type('Type its short name', 'lr');
    await b.act("//*[@role='dialog']//button[.='Shut down' and not(@disabled)]");
    await b.find("//summary[contains(., 'Stop of Lantern Rock')][contains(., 'done')]");
    expect(power()).toBe('Off');
    await b.act("//*[@role='radio' and .='Start after a loss of power']");
    await b.act("//button[.='Start Lantern Rock…' and not(@disabled)]");
    await b.type('Type its short name', 'lr');
    await b.act("//*[@role='dialog']//button[.='Start' and not(@disabled)]");
    await b.find("//summary[contains(., 'Start of Lantern Rock')][contains(., 'done')]");
    expect(power()).toBe('On');
  });
  it('offers a reader nothing that they may not do', async () => {
    await as((await i.as('reader')).cookie);
    await open(`/rehearse?cluster=plover&lost=${there.host}`);
    await b.find(`//button[.='Switch ${there.host} off…' and @disabled]`);
    await open('/rehearse/cold-start?of=lr');
    await b.find("//button[.='Start Lantern Rock…' and @disabled]");
  });
});
