import { join } from 'node:path';
import type { SeenVolumes } from '@praesidor/contract';
import { By } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import {
  backUp,
  backupEnded,
  backupsOf,
  declareVolume,
  deployCopies,
  deployVolume,
  standbyAtGannet,
} from '../apps/server/test/volume-of-plover.ts';
import { builtOrBroken, type Client, eventually, Installation, prepare } from '../apps/server/test/installation.ts';
import { standbysDue } from '../apps/server/src/areas/backups/standby.ts';
import { type Browser, openBrowser } from './lib/browser.ts';

/** Volumes and their backups, as an engineer sees and makes them. */
const i = new Installation();
let b: Browser;
let c: Client;
let there: Awaited<ReturnType<typeof deployVolume>>;
const shot = async (name: string) => (process.env.SHOTS ? b.picture(join(process.env.SHOTS, `${name}.png`)) : undefined);
const open = (path: string) => b.open(i.config.publicUrl + path);

beforeAll(async () => {
  await i.start({ timeoutSeconds: 20, needs: ['volume-controller'], settings: { minuteMs: 86_400_000 } });
  b = await openBrowser();
  c = await i.as('warden');
  await open('/sign-in');
  await b.driver.manage().addCookie({ name: 'praesidor', value: c.cookie.split('=')[1] as string, path: '/' });
});
afterAll(async () => {
  await b?.close();
  await i.stop();
});

describe('the page of volumes', () => {
  it('tells of each where its copies lie, what can be lost, and what is backed up when', async () => {
    await open('/clusters/tern?site=bw&tab=volumes');
    await b.find(
      "//table[@aria-label='Volumes']//tr[contains(., 'bookings/data-0')][contains(., 'nightly')][contains(., '25 h')][count(.//*[@role='img'])=3]",
    );
    await b.find("//table[@aria-label='Volumes']//tr[contains(., 'print-spool/queue')][contains(., 'all of it')]");
    await b.find(
      "//table[@aria-label='Plans for backups']//tr[contains(., 'nightly')]//*[@role='img'][starts-with(@aria-label, '7 runs in 7 days')]",
    );
    await b.see('tern was not built from here, or does not stand: nothing is backed up yet.');
    await open('/clusters/stores');
    await b.find("//table[@aria-label='Backup stores']//tr[contains(., 'bw-objects')][contains(., '% of 400 GB')]");
  });
  it('backs up by a click, shows how that goes, and gives what was made', async () => {
    await prepare(c);
    await declareVolume(c, 'plover', {
      storage: [
        { name: 'scratch', kind: 'local', standard: true },
        // 10 GB at 0.02 Gbit/s: 4,000 s.
        { name: 'kept', kind: 'copies', copies: 2, apart: 'host', rebuild: { after: 900, gbit: 0.02 } },
      ],
    });
    await c.good('POST', '/api/builds', { charter: 'plover' });
    await builtOrBroken(c);
    there = await deployVolume(i);
    there.write('tides', Buffer.from('high water'));
    await open('/clusters/plover?site=lr&tab=volumes');
    await b.see('None yet: the first is made at the next time of a plan, or now.');
    await b.find(
      `//table[@aria-label='Volumes as they are']//tr[contains(., 'ais-store/data')][contains(., 'has its volume')][contains(., '${there.host}')]`,
    );
    await b.act("//button[.='Back up now' and not(@disabled)]");
    await b.find("//table[@aria-label='Backups made']//tr[contains(., 'ais-store/data')][contains(., 'never')]//a[.='Download']");
    await b.act("//button[.='Test the newest' and not(@disabled)]");
    await b.find("//table[@aria-label='Backups made']//tr[contains(., 'passed')]");
  });
  it('tells of a volume with copies which are whole, which host lacks one, and until when it is rebuilt', async () => {
    await deployCopies(i);
    const row = (...has: string[]) =>
      `//table[@aria-label='Volumes as they are']//tr[contains(., 'ais-index')]${has.map((t) => `[contains(., '${t}')]`).join('')}`;
    await open('/clusters/plover?site=lr&tab=volumes');
    await b.find(row('2 of 2 copies'));
    // Nobody declared what has it: a click puts it into the charter, and the page has its volume among those that are planned.
    await b.see('It is neither rehearsed nor backed up.');
    await shot('undeclared');
    await b.act("//button[.='Declare it' and not(@disabled)]");
    await b.find("//table[@aria-label='Volumes']//tr[contains(., 'ais-index/data')][contains(., 'kept')]");
    expect(
      (await c.estate()).charters.find((x) => x.name === 'plover')?.workloads?.find((w) => w.name === 'ais-index'),
    ).toMatchObject({
      replicas: 1,
      volumes: [{ name: 'data', class: 'kept', sizeGB: 10 }],
    });
    const { volumes } = await c.good<SeenVolumes>('GET', '/api/charters/plover/volumes');
    const index = volumes.find((v) => v.claim === 'ais-index-data');
    const off = index?.copies?.find((x) => !index.users.some((u) => u.host === x.host))?.host ?? '';
    const machine = i.world.everyMachine().find((m) => m.hardware.name === off);
    // Slowly, so that what comes after what is seen by who looks.
    i.world.clock.setSpeed(100);
    machine?.powerOff();
    const looked = (...has: string[]) =>
      eventually(
        async () => {
          await b.act("//button[.='Look again' and not(@disabled)]");
          await b.find("//button[.='Look again' and not(@disabled)]");
          return (await b.driver.findElements(By.xpath(row(...has)))).length > 0;
        },
        () => `the page says ${has.join(', ')}`,
      );
    await looked('1 of 2 copies', `${off} does not answer for`);
    await shot('copies-silent');
    i.world.clock.setSpeed(500);
    await looked('rebuilds from', 'left');
    await shot('copies-rebuilt');
    i.world.clock.setSpeed(2000);
    machine?.powerOn();
    await looked('2 of 2 copies');
    // Without both: what may bring it back, and what is lost if nothing does.
    i.world.clock.setSpeed(100);
    const both =
      (await c.good<SeenVolumes>('GET', '/api/charters/plover/volumes')).volumes.find((v) => v.claim === 'ais-index-data')
        ?.copies ?? [];
    const machines = i.world.everyMachine().filter((m) => both.some((x) => x.host === m.hardware.name));
    for (const m of machines) m.powerOff();
    await looked('cannot be used: no host that answers has all of it', 'all of it is lost: it has no backup');
    await shot('copies-none');
    i.world.clock.setSpeed(2000);
    for (const m of machines) m.powerOn();
    await looked('2 of 2 copies');
    const declared = (await c.estate()).charters.find((x) => x.name === 'plover')?.workloads ?? [];
    await c.good('POST', '/api/edits', {
      why: 'one workload is enough for the rest',
      edits: [
        { op: 'set', kind: 'Charter', key: 'plover', path: ['workloads'], value: declared.filter((w) => w.name !== 'ais-index') },
      ],
    });
  });
  it('says what failed and what to do, and goes on when that is mended', async () => {
    await b.find("//table[@aria-label='Volumes'][not(.//tr[contains(., 'ais-index')])]");
    i.plant('store-full', 'bw-objects');
    await b.act("//button[.='Back up now' and not(@disabled)]");
    await b.see('Make room there, then resume.');
    i.lift('store-full', 'bw-objects');
    await b.act("//button[.='Resume' and not(@disabled)]");
    await b.find("//table[@aria-label='Backups made']//tbody/tr[2]");
    await b.find("//button[.='Back up now' and not(@disabled)]");
    const run = await backUp(c);
    await backupEnded(c, run.id);
    await b.see('2 backups that can be given back');
    await b.find(
      "//table[@aria-label='What there is, over time']//tr[contains(., 'ais-store/data')]//*[@role='img'][starts-with(@aria-label, '2 backups, the oldest')]",
    );
  });
  it('gives one back in the place of what the volume has, once its name is typed', async () => {
    there.write('tides', Buffer.from('low water'));
    await b.act("//table[@aria-label='Backups made']//tbody/tr[1]//button[.='Restore…']");
    await b.find("//*[@role='dialog']//button[.='Restore' and @disabled]");
    await b.type('Type its name', 'ais-store/data');
    await b.act("//*[@role='dialog']//button[.='Restore' and not(@disabled)]");
    await b.see('end what uses it');
    await b.find("//button[.='Back up now' and not(@disabled)]");
    expect(there.read('tides')?.toString()).toBe('high water');
  });
  it('gives one back to a claim that is made for it', async () => {
    await b.act("//table[@aria-label='Backups made']//tbody/tr[1]//button[.='Restore…']");
    await b.act("//*[@role='dialog']//label[.='To a new claim']/input");
    await b.act("//*[@role='dialog']//button[.='Restore' and not(@disabled)]");
    const lane = await eventually(async () => {
      const { last } = await backupsOf(c);
      return last?.status.state === 'done' && last.steps.find((s) => s.lane.startsWith('default/'))?.lane;
    }, 'its end');
    const host = await there.lies(lane.slice('default/'.length));
    expect([host === undefined, host === there.host]).toEqual([false, false]);
    expect(there.read('tides', host)?.toString()).toBe('high water');
  });
  it('keeps a standby copy at another cluster, activates it once its name is typed, and gives it back', async () => {
    const copy = await standbyAtGannet(i, c);
    const { last } = await backupsOf(c);
    const row = "//table[@aria-label='Standby copies']//tbody/tr[contains(., 'ais-store')][contains(., 'plover')]";
    await open('/clusters/gannet?site=bw&tab=volumes');
    await b.find(`${row}[contains(., 'nothing yet')]`);
    await standbysDue(i.running.ctx);
    await b.find(`${row}[contains(., 'follows')][contains(., 'may be 24 h')]`);
    expect([last?.status.state, copy.read('tides')?.toString()]).toEqual(['done', 'high water']);
    there.write('tides', Buffer.from('spring tide'));
    await b.act(`${row}//button[.='Activate…' and not(@disabled)]`);
    await b.find("//*[@role='dialog']//button[.='Activate' and @disabled]");
    await b.type('Type its name', 'ais-store');
    await b.act("//*[@role='dialog']//button[.='Activate' and not(@disabled)]");
    await b.find(`${row}[contains(., 'active')][contains(., 'by warden')]`);
    await eventually(async () => (await copy.pods()) === 1, 'its pod');
    expect([copy.read('tides')?.toString(), await there.pods()]).toEqual(['spring tide', 0]);
    await eventually(async () => (await backupsOf(c, 'gannet')).last?.status.state === 'done', 'its end');
    // The other cluster tells of it too.
    await open('/clusters/plover?site=lr&tab=volumes');
    await b.find(`${row}[contains(., 'at gannet')][contains(., 'active')][not(.//button)]`);
    await open('/clusters/gannet?site=bw&tab=volumes');
    await b.act(`${row}//button[.='Give back…' and not(@disabled)]`);
    await b.type('Type its name', 'ais-store');
    await b.act("//*[@role='dialog']//button[.='Give back' and not(@disabled)]");
    await b.find(`${row}[contains(., 'follows')]`);
    await eventually(async () => (await there.pods()) === 1, 'its pod there');
    await eventually(async () => (await backupsOf(c, 'gannet')).last?.status.state === 'done', 'its end');
  });
  it('offers a reader nothing that they may not do', async () => {
    const reader = await i.as('reader');
    await b.driver.manage().deleteAllCookies();
    await b.driver.manage().addCookie({ name: 'praesidor', value: reader.cookie.split('=')[1] as string, path: '/' });
    await open('/clusters/plover?site=lr&tab=volumes');
    await b.find("//button[.='Back up now' and @disabled]");
    await b.find("//table[@aria-label='Backups made']//tr[contains(., 'ais-store/data')][not(.//a)]");
    await open('/clusters/gannet?site=bw&tab=volumes');
    await b.find("//table[@aria-label='Standby copies']//button[.='Activate…' and @disabled]");
  });
});
