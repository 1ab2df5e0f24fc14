import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Client, eventually, Installation } from '../apps/server/test/installation.ts';
import { type Browser, openBrowser } from './lib/browser.ts';

/** Hosts as somebody uses them in Chromium: from click to effect in the stand-ins' own state. */
const i = new Installation();
let b: Browser;
let c: Client;
const open = (path: string) => b.open(i.config.publicUrl + path);
const host = async (name: string) => (await c.estate()).hosts.find((h) => h.name === name);
const inDialog = "//*[@role='dialog']";
const machine = (name: string) => i.world.machines.get(name);
beforeAll(async () => {
  await i.start();
  b = await openBrowser();
  c = await i.as('warden');
  await open('/sign-in');
  await b.driver.manage().addCookie({ name: 'praesidor', value: c.cookie.split('=')[1] as string, path: '/' });
  await eventually(async () => Object.keys((await c.estate()).observed.hypervisors).length === 3, 'hypervisors looked at');
});
afterAll(async () => {
  await b?.close();
  await i.stop();
});

describe('listed hosts that nobody reached yet', () => {
  it('are swept, compared, accepted, and show what was read', async () => {
    await open('/hosts?site=bw');
    await b.click('button', 'Sweep for hosts…');
    await b.type('Range', '10.40.7.11-10.40.7.24');
    await b.click('button', 'Sweep', inDialog);
    await b.see('bw-14, as listed: accept its certificate');
    await b.find("//button[normalize-space(.)='Accept 14 fingerprints']");
    await b.click('button', 'Accept 14 fingerprints');
    await b.see('14 accepted and measured');
    expect((await c.estate()).hosts.filter((h) => h.site === 'bw' && h.bmc?.fingerprint)).toHaveLength(14);
  });
});

describe('the filter', () => {
  it('offers what could stand at the cursor, takes it with Tab, and keeps it in the URL', async () => {
    await open('/hosts?site=bw');
    await b.type('Filter hosts by facts', 'zo');
    await b.find("//*[@role='option' and contains(., 'failure domain')]");
    await b.press('\uE004');
    await b.find("//*[@role='option' and contains(., 'zone:A')]");
    // What is typed at once goes behind what was taken, also where the page is slow.
    await b.driver.sendDevToolsCommand('Emulation.setCPUThrottlingRate', { rate: 12 });
    await b.press('\uE004fit:worker');
    await b.driver.sendDevToolsCommand('Emulation.setCPUThrottlingRate', { rate: 1 });
    await b.find("//*[@role='table']");
    let seen = '';
    await eventually(
      async () => {
        const url = decodeURIComponent(await b.driver.getCurrentUrl()).replaceAll('+', ' ');
        seen = `${url}, typed: ${await b.attribute("//input[@aria-label='Filter hosts by facts']", 'value')}`;
        return url.includes('q=zone:A fit:worker');
      },
      () => `the filter in the URL: ${seen}`,
    );
    expect(await b.text()).toMatch(/\d+ of 23/);
    await b.type('Filter hosts by facts', 'memry>=4');
    await b.see('memry is no fact; did you mean memory?');
  });
});

describe('one host', () => {
  it('has a page that Enter opens; its firmware is brought to the baseline, seen to move, and measured', async () => {
    await open('/hosts?site=bw&q=bw-14');
    await b.see('1 of 23');
    await (await b.find("//*[@data-row and contains(., 'bw-14')]")).sendKeys('\uE007');
    await b.find("//h1[.='bw-14']");
    await b.see('bring system to 2.19 or later, below 3');
    await b.see('bw-sw1a Eth34');
    await b.click('button', 'Firmware…');
    await b.find("//*[@aria-label='Firmware plan']//td[.='2.17']");
    await b.click('button', 'Write bw-14');
    await b.find("//section[@aria-label='What changed']//*[contains(., 'system 2.17 → 2.21')]");
    expect(machine('bw-14')?.firmware.system).toBe('2.21');
  });
  it('its controller does what is clicked, and its sensors are drawn', async () => {
    await open('/hosts/bw-14?site=bw');
    await b.click('button', 'Light on');
    await b.find("//button[.='Light off']");
    expect(machine('bw-14')?.light).toBe(true);
    await b.click('button', 'Boot once from…');
    await b.choose('From', 'the network (PXE)');
    await b.click('button', 'Set');
    await eventually(async () => machine('bw-14')?.bootTarget === 'Pxe', 'the boot source');
    await b.click('button', 'Read now');
    await b.find("//figure[@aria-label='Temperature, °C']");
    await b.click('button', 'Read it');
    await b.see('update of system begun');
  });
  it('its first start, and what carries its machine network, are shown before they are set, and follow again', async () => {
    await open('/hosts/bw-14?site=bw');
    await b.choose('First start', 'from virtual media');
    await b.see('Its controller reads the medium from this server; DHCP is not needed.');
    await b.click('button', 'Make this change', inDialog);
    await eventually(async () => (await host('bw-14'))?.bmc?.boot === 'media', 'its first start');
    const adapters = "//section[@aria-label='Adapters and their networks']";
    await b.find(`${adapters}//*[contains(@class, 'follows') and contains(., 'eno1, untagged')]`);
    await b.click('button', 'Change…', adapters);
    await b.click('label', 'eno2', inDialog);
    await b.choose('Bond', 'LACP (IEEE 802.1AX)');
    await b.click('label', 'tagged on the wire', inDialog);
    await b.see('adapters eno1 + eno2, bond 802.3ad, tagged yes');
    await b.click('button', 'Make this change', inDialog);
    await b.find(`${adapters}//*[contains(@class, 'set') and .='eno1 + eno2, LACP, tagged']`);
    expect((await host('bw-14'))?.uplink).toEqual({ adapters: ['eno1', 'eno2'], bond: '802.3ad', tagged: true });
    await b.click('button', 'Change…', adapters);
    await b.click('label', 'Let it follow: the first adapter that has a link, untagged', inDialog);
    await b.click('button', 'Make this change', inDialog);
    await eventually(async () => (await host('bw-14'))?.uplink === undefined, 'it follows again');
  });
});

describe('many hosts', () => {
  it('are picked; each has its outcome, and the whole is undone', async () => {
    await open('/hosts?site=bw&q=state:fit');
    for (const name of ['bw-04', 'bw-05']) await b.act(`//*[@role='checkbox' and @aria-label='pick ${name}']`);
    await b.see('2 picked');
    await b.clickText('State');
    await b.act("//*[@role='menuitem' and .='Retire']");
    await b.see('2 hosts retired');
    await eventually(async () => (await host('bw-04'))?.state === 'retired', 'retired');
    await b.click('button', 'Undo');
    await eventually(async () => (await host('bw-04'))?.state === 'fit' && (await host('bw-05'))?.state === 'fit', 'undone');
  });
  it('come in by a table that is shown line by line', async () => {
    await open('/hosts?site=bw');
    await b.click('button', 'Import CSV…');
    const area = await b.find("//textarea[@aria-label='Table']");
    await area.sendKeys('name,rack,unit,serial\nbw-40,R2,3,HW40040B\nother,R2,4,HW40009B\nbw-41,R2,zz,\n');
    await b.see('is not a number');
    await b.see("serial HW40009B is bw-09's");
    await b.act("//label[contains(., 'leave out')]/input");
    await b.click('button', 'Take 1 line');
    await eventually(async () => (await host('bw-40'))?.unit === 3, 'bw-40 is there');
  });
});

describe('racks', () => {
  it('a host is moved with the arrow keys, after what it changes was shown, and refused where another stands', async () => {
    await open('/hosts/racks?site=bw');
    const at = await b.find("//*[@role='button' and starts-with(@aria-label, 'bw-05,')]");
    await at.sendKeys('\uE015'); // down
    await b.see('Move bw-05 to R1 u31');
    await b.click('button', 'Make this change', inDialog);
    await eventually(async () => (await host('bw-05'))?.unit === 31, 'moved');
    await b.find("//*[@role='button' and @aria-label='bw-05, R1 unit 31']");
  });
  it('is dragged to a unit of another rack, and changes its zone with it', async () => {
    await open('/hosts/racks?site=bw');
    const from = await b.find("//*[@role='button' and starts-with(@aria-label, 'bw-10,')]");
    const to = await b.find("//*[@role='button' and starts-with(@aria-label, 'bw-14,')]");
    await b.driver.executeScript('arguments[0].scrollIntoView({block: "center"})', from);
    const [a, z] = [await from.getRect(), await to.getRect()];
    const unit = 15;
    await b.driver
      .actions()
      .move({ x: Math.round(a.x + 60), y: Math.round(a.y + 6) })
      .press()
      .move({ x: Math.round(a.x + 90), y: Math.round(a.y + 12), duration: 100 })
      .move({ x: Math.round(z.x + 60), y: Math.round(z.y + 6 + 2 * unit), duration: 200 })
      .release()
      .perform();
    await b.see('Move bw-10 to R2 u32');
    await b.click('button', 'Make this change', inDialog);
    await eventually(async () => (await host('bw-10'))?.rack === 'R2', 'moved');
    expect(await host('bw-10')).toMatchObject({ rack: 'R2', unit: 32, zone: 'C' });
  });
});

describe('guests', () => {
  it('are cast after their places were shown, run on their hypervisor, and are taken away by name', async () => {
    await open('/hosts/hypervisors?site=bw');
    await b.click('button', 'Cast guests…');
    await b.choose('Mould', 'errand: 2 vCPU, 8 GiB');
    await b.type('How many', '2');
    await b.type('Names begin with', 'bw-e');
    await b.find("//*[@aria-label='Placement of the new guests']//td[.='bw-e1']");
    await b.click('button', 'Cast 2 guests');
    await b.find("//section[@aria-label='Guests']//tr[contains(., 'bw-e1') and contains(., 'runs')]");
    const on = (await host('bw-e1'))?.guest?.hypervisor ?? '';
    expect(i.world.hypervisors.get(on)?.one('bw-e1')?.state).toBe('running');
    await open('/hosts/bw-e1?site=bw');
    await b.click('button', 'Delete guest…');
    await b.type('Names', 'bw-e1');
    await b.click('button', 'Delete', inDialog);
    await b.see('It has not been cast yet.');
    expect(i.world.hypervisors.get(on)?.one('bw-e1')).toBeUndefined();
  });
});

describe('requirements', () => {
  it('is set in place, shows what it changes, and goes reset to default', async () => {
    await open('/hosts/profiles?site=bw');
    const cell = await b.find("//input[@aria-label='Worker, memory']");
    await b.driver.executeScript('arguments[0].select()', cell);
    await cell.sendKeys('100', '\uE007');
    await b.see('Worker asks memory 100');
    await b.click('button', 'Make this change', inDialog);
    await b.clickText('reset to default');
    await b.click('button', 'Make this change', inDialog);
    await b.see('0 of 5 roles set in this estate');
  });
});
