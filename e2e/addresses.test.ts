import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Setup } from '@praesidor/contract';
import { By, Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Client, eventually, Installation } from '../apps/server/test/installation.ts';
import { type Browser, openBrowser } from './lib/browser.ts';

/** Addresses and names as a person works with them, each act looked for in the ledger or in the name server itself. */
const i = new Installation();
let b: Browser;
let c: Client;
const zone = 'lr.kestrelferries.example';
const open = (path: string) => b.open(i.config.publicUrl + path);
const find = async (address: string) => (await c.estate()).reservations.find((r) => r.address === address);
const map = "//*[@aria-label='Map of the prefix']";
const served = () => i.world.dns.zones.find((z) => z.name === zone) as (typeof i.world.dns.zones)[number];

beforeAll(async () => {
  await i.start({ watch: 2 });
  b = await openBrowser();
  c = await i.as('warden');
  await open('/sign-in');
  await b.driver.manage().addCookie({ name: 'praesidor', value: c.cookie.split('=')[1] as string, path: '/' });
  await eventually(async () => (await c.estate()).observed.zones[zone], 'the zone is read');
});
afterAll(async () => {
  await b?.close();
  await i.stop();
});

describe('the map', () => {
  it('is moved through with the arrows; what is selected is reserved in a row', async () => {
    await open('/addresses?site=lr&net=lr-store');
    const m = await b.find(map);
    await m.sendKeys(Key.HOME, Key.ARROW_DOWN, Key.ARROW_RIGHT); // .0, a row of 32 down, one on: .33
    await b.see('10.62.9.33: free');
    await m.sendKeys(Key.chord(Key.SHIFT, Key.ARROW_RIGHT), Key.chord(Key.SHIFT, Key.ARROW_RIGHT));
    await b.see('10.62.9.33 – 10.62.9.35, 3 addresses');
    await m.sendKeys('r');
    await b.type('For whom', 'crane desk');
    await b.click('button', 'Reserve 3 addresses');
    await b.gone('For whom');
    expect((await Promise.all(['10.62.9.33', '10.62.9.34', '10.62.9.35'].map(find))).map((r) => r?.owner.name)).toEqual(
      Array(3).fill('crane desk'),
    );
  });
  it('is dragged over with the mouse, and says what stands under it', async () => {
    await open('/addresses?site=lr&net=lr-machine');
    const canvas = await b.find(`${map}//canvas`);
    const { width } = await canvas.getRect();
    const pitch = (width - 56) / 32;
    // From the middle of the canvas: cell .66 to .69 in the third row.
    const at = (cell: number, row: number) => ({
      origin: canvas as never,
      x: Math.round(56 + (cell + 0.5) * pitch - width / 2),
      y: Math.round((row + 0.5) * 21 - 42),
    });
    await b.driver.actions().move(at(1, 0)).perform();
    await b.see('10.62.8.1: gateway');
    await b.driver.actions().move(at(10, 3)).perform();
    await b.see('10.62.8.106: DHCP scope lease and service pool of plover: claimed twice');
    await b.driver.actions().move(at(2, 2)).press().move(at(5, 2)).release().perform();
    await b.see('10.62.8.66 – 10.62.8.69, 4 addresses');
  });
  // How long a frame takes is measured alone, by the benchmark.
  it('draws 65,536 addresses, and hovering over them draws none of them anew', async () => {
    await open('/addresses?site=bw&net=bw-published');
    const canvas = await b.find(`${map}//canvas`);
    await b.see('kiosk-1', 5000).catch(() => b.see('terminal desk'));
    await b.driver.executeScript(
      'window.drawn = 0; const p = CanvasRenderingContext2D.prototype, put = p.putImageData; p.putImageData = function (...a) { window.drawn++; return put.apply(this, a); }',
    );
    for (let k = 0; k < 40; k++)
      await b.driver
        .actions({ async: true })
        .move({ origin: canvas as never, x: -250 + k * 12, y: -150 + ((k * 37) % 300), duration: 0 })
        .perform();
    await b.see('10.41.');
    const drawn = () => b.driver.executeScript<number>('return window.drawn');
    // News of the estate may draw it anew meanwhile, once or twice; 40 moves of the pointer never do.
    const before = await drawn();
    expect(before).toBeLessThan(8);
    // Another width is drawn anew: the counter counts.
    await b.size(1180, 800);
    await b.driver.wait(async () => (await drawn()) > before, b.timeoutMs, 'the map to be drawn anew');
    await b.size(1280, 800);
  });
  it('lists the occupied runs of IPv6', async () => {
    await open('/addresses?site=bw&net=bw-machine-six');
    await b.see('DHCP scope lease-six');
    await b.see('4,096');
  });
});

describe('one address', () => {
  it('is moved, its name going along, and its history tells', async () => {
    await c.good('POST', '/api/addresses/reserve', {
      network: 'lr-store',
      address: '10.62.9.50',
      name: `gauge.${zone}`,
      owner: { kind: 'hand', name: 'tide desk' },
    });
    await open('/addresses?site=lr&net=lr-store&at=10.62.9.50');
    await b.click('button', 'Move…');
    await b.choose('Network', 'lr-machine');
    await b.click('button', 'Move it');
    await b.see('10.62.9.50 is now 10.62.8.2');
    expect([(await find('10.62.8.2'))?.name, (await find('10.62.9.50'))?.resting]).toEqual([`gauge.${zone}`, true]);
    await open('/addresses?site=lr&net=lr-store&at=10.62.9.50');
    const past = await b.find("//table[@aria-label='Past owners of 10.62.9.50']");
    await b.see('resting, free');
    expect(await past.getText()).toMatch(/resting[\s\S]*gauge/);
  });
  it('is released to rest, and set free', async () => {
    await open('/addresses?site=lr&net=lr-store&at=10.62.9.33');
    await b.click('button', 'Release…');
    await b.click('button', 'after 30 days');
    await b.click('button', 'Release 10.62.9.33');
    await b.see('10.62.9.33 rests for 30 days');
    await b.click('button', 'Release…');
    await b.click('button', 'Release 10.62.9.33');
    await b.see('10.62.9.33 released');
    expect(await find('10.62.9.33')).toBeUndefined();
    await open('/addresses?site=lr&net=lr-store');
    await (await b.find(map)).sendKeys(Key.HOME, Key.ARROW_DOWN, Key.ARROW_RIGHT);
    await b.see('is free now');
    expect(await b.textOf("//table[@aria-label='Past owners of 10.62.9.33']")).toContain('crane desk');
  });
  it('shows when its network is full, as a chart', async () => {
    await open('/addresses?site=bw&net=bw-machine');
    await b.clickText('full in about');
    await b.find("//figure//canvas[contains(@aria-label, 'of 256 addresses reserved, full on')]");
    await b.see('Fitted on 17 Feb 2026');
  });
});

describe('networks', () => {
  it('are carved after the consequences were shown, and it is undone', async () => {
    await open('/addresses?site=lr&net=lr-machine');
    await b.clickText('reshape');
    await b.act("//*[@role='menuitem'][contains(., 'Carve')]");
    await b.see('10.62.8.64/27, gateway 10.62.8.65, carved out of lr-machine');
    await b.see('What the checks would then find');
    await b.click('button', 'Make this change');
    await b.find("//nav[@aria-label='Networks']//button[contains(., 'lr-machine-27')]");
    await b.click('button', 'Undo');
    await b.gone('lr-machine-27');
  });
  it('are not made smaller than what is in them', async () => {
    await open('/addresses?site=lr&net=lr-machine');
    await b.clickText('reshape');
    await b.act("//*[@role='menuitem'][contains(., 'another prefix')]");
    await b.type('Prefix', '10.62.8.0/26');
    await b.see('lease (10.62.8.100-10.62.8.119) of lr-machine would be cut');
    await b.find("//button[@disabled and normalize-space(.)='Make this change']");
  });
  it('route to each other by a click in the matrix, both ways', async () => {
    await open('/addresses/routes?site=lr');
    await b.click('button', 'lr-bmc and lr-tun-host: no route');
    // Both gateways lack the way back: whoever leads must have it.
    await b.click('button', 'Make this change');
    await b.find("//button[@aria-label='lr-bmc and lr-tun-host: both ways']");
    const { networks, gateways } = await c.estate();
    expect(networks.find((n) => n.name === 'lr-tun-host')?.routesTo).toContain('lr-bmc');
    expect(
      gateways.find((g) => g.name === 'lr-gate')?.members.map((m) => m.routes.some((r) => r.to === '10.62.10.0/27')),
    ).toEqual([true, true]);
    await b.click('button', 'Undo');
    await b.find("//button[@aria-label='lr-bmc and lr-tun-host: no route']");
  });
  it('stay readable where there are eighty: folded by purpose, opened one by one, or found by name', async () => {
    const text = Array.from({ length: 80 }, (_, i) =>
      [
        'apiVersion: praesidor/v1',
        'kind: Network',
        `name: lr-hall-${i + 1}`,
        'site: lr',
        `purpose: ${i % 2 ? 'machine' : 'storage'}`,
        `prefix: 10.63.${i}.0/24`,
        `gateway: 10.63.${i}.1`,
        ...(i === 1 ? ['routesTo: [lr-machine]'] : []),
      ].join('\n'),
    ).join('\n---\n');
    const { act } = await c.good<{ act: number }>('POST', '/api/import', { text });
    await open('/addresses/routes?site=lr');
    await b.find("//*[@aria-label='machine (41) and storage (41): 0 of 1681 both ways']");
    expect(
      (await b.driver.findElements(By.xpath("//section[@aria-label='Routing at Lantern Rock']//tbody/tr"))).length,
    ).toBeLessThan(10);
    await b.type('Filter', 'lr-hall-2');
    // lr-hall-2 and lr-hall-20 to -29: eleven, which need no folding.
    await b.find("//button[@aria-label='lr-hall-2 and lr-hall-20: no route']");
    await b.type('Filter', 'nothing such');
    await b.see('No network here matches nothing such.');
    await c.good('POST', `/api/acts/${act}/undo`);
  });
  it('are joined by gateways, whose files can be read', async () => {
    await open('/addresses/routes?site=lr&gateway=lr-gate');
    await b.find("//table[@aria-label='Gateways']//tr[contains(., 'lr-gate-a') and contains(., '10.62.8.1')]");
    // 3 × 1 s, and a skew of (256 − 150) ÷ 256 s (RFC 5798 §6.1).
    await b.find("//table[@aria-label='Gateways']//tr[contains(., 'lr-gate-a') and contains(., '3.4 s')]");
    await b.act("//tr[contains(., 'lr-gate-a')]//button[normalize-space(.)='Files']");
    await b.see('route 10.62.40.0/24 via 10.62.0.1;');
    await b.click('button', 'lr-gate-b /etc/keepalived/keepalived.conf');
    await b.see('virtual_router_id 8');
  });
  it('are joined by gateways that are set up from here once their members can be entered: what these need is told', async () => {
    await open('/addresses/routes?site=lr');
    await b.act("//tr[contains(., 'lr-gate-a')]//button[.='Set up…']");
    await b.see('No log-in is declared for lr-gate-a and lr-gate-b.');
    await b.find("//dl//pre[contains(., 'restrict,command=') and contains(., 'ssh-ed25519')]");
    await b.find("//button[.='Set up' and @disabled]");
    await b.act("//button[.='Close']");
    // Another machine answers there: the step says so, and what to do.
    const { account } = await c.good<Setup>('GET', '/api/gateways/lr-gate/setup');
    const members = (await c.estate()).gateways.find((g) => g.name === 'lr-gate')?.members ?? [];
    const declare = (hostKey: (member: string) => string) =>
      c.good('POST', '/api/edits', {
        why: 'log-in',
        edits: members.map((m, k) => ({
          op: 'set',
          kind: 'Gateway',
          key: 'lr-gate',
          path: ['members', k, 'login'],
          value: { hostKey: hostKey(m.name) },
        })),
      });
    await declare(() => `ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAI${'A'.repeat(43)}`);
    await b.act("//tr[contains(., 'lr-gate-a')]//button[.='Set up…']");
    await b.act("//button[.='Set up' and not(@disabled)]");
    const step = (member: string, what: string, text: string) =>
      b.find(`//table[@aria-label='Steps']//tr[contains(., '${member}') and contains(., '${what}') and contains(., '${text}')]`);
    await step('lr-gate-b', 'check files', 'another machine answers');
    await b.find("//button[.='Resume' and not(@disabled)]");
    // With the host keys that they have, and the account made there, it goes on to its end.
    await declare((member) => i.world.state().routers[member] ?? '');
    for (const { name } of members)
      i.world.routers
        .get(name)
        ?.give(
          { name: account.user, keys: [account.key], sudo: account.sudo.replace(/^\S+ /, '') },
          { path: account.path, text: account.program },
        );
    await b.act("//button[.='Resume' and not(@disabled)]");
    await step('lr-gate-a', 'look at it', 'routes and sessions are there');
    await step('lr-gate', 'addresses', '2 addresses are at one member each');
    await b.act("//button[.='Close']");
  });
});

describe('a path', () => {
  it('is told there and back; the routes that are lacking are added, and it works', async () => {
    await open('/addresses/trace?site=lr');
    await b.see('Name both ends');
    await b.type('From', 'lr-up-b');
    await b.type('To', 'plover/inbound');
    await b.see('stops at lr-gate-a: it has no route to 10.62.0.11');
    await b.see('would need 10.62.0.8/29 via 10.62.0.1 on lr-gate-a');
    await b.click('button', 'Add the missing route…');
    await b.click('button', 'Make this change');
    await b.gone('stops at');
    await b.see('3 hops, 1,500 bytes pass');
    await b.type('Bytes', '9000');
    await b.see('9,000 bytes do not pass: 1,500 do');
    await b.type('To', 'plover/inbond');
    await b.see('plover has no inbond: there are api, inbound, pod');
    // Where it stands is in its address: it can be sent to somebody.
    expect(await b.driver.getCurrentUrl()).toContain('from=lr-up-b&to=plover%2Finbond&bytes=9000');
    const gate = (await c.estate()).gateways.find((g) => g.name === 'lr-gate');
    expect(gate?.members[0]?.routes).toContainEqual({ to: '10.62.0.8/29', via: '10.62.0.1' });
    await b.click('button', 'Undo');
  });
  it('that holds while one gateway leads is told with what the other lacks, which makes it hold', async () => {
    await open('/addresses/trace?site=lr&from=10.62.40.17&to=plover/radar-archive&port=443&bytes=1400');
    await b.see('radar desk 2 in lr-desks, since 2026-03-17');
    await b.see('inside 1442 of 1500');
    await b.see('the path is lost: the answer stops there, it has no route to 10.62.40.17');
    await b.find("//table[@aria-label='Services of plover']//tr[contains(., 'radar-archive') and contains(., 'ARP, one host')]");
    await b.click('button', 'Add the missing route…');
    await b.click('button', 'Make this change');
    await b.see('the path works as well');
    await b.gone('Add the missing route…');
    await b.click('button', 'Undo');
  });
  it('is measured, and what differs from the plan is named', async () => {
    await open('/addresses/trace?site=lr&from=10.62.40.17&to=plover/inbound&port=443&bytes=1400');
    await b.see('3 hops, 1,400 bytes pass');
    // plover is not built yet: nobody takes connections there.
    await b.click('button', 'Measure it');
    await b.find("//section[@aria-label='Measured'][contains(., '10.62.8.21 port 443') and contains(., 'does not')]");
    await b.see('By the plan it is reached: it is not up, or something on the way is not as declared.');
    await b.type('To', 'lr-machine/10.62.8.53');
    await b.click('button', 'Measure it');
    await b.see('it is no address of a cluster');
  });
  it('is one click away from an address', async () => {
    await open('/addresses?site=lr&net=lr-desks&at=10.62.40.17');
    await b.act("//section[@aria-label='Address 10.62.40.17']//a[normalize-space(.)='Trace']");
    await b.see('radar desk 2 in lr-desks');
  });
});

describe('a cluster', () => {
  it('shows how it is reached: ways of announcing, who reaches it, and what others must be told', async () => {
    await open('/clusters/tern?site=bw&tab=reach');
    await b.find(
      "//table[@aria-label='Services of tern']//tr[contains(., 'timetable') and contains(., '10.40.8.140') and contains(., 'BGP, 6 hosts')]",
    );
    // Both sides take the smaller hold timer: 30 s, and one for the router.
    await b.find(
      "//table[@aria-label='ARP and BGP compared']//td[contains(., '31 s') and contains(., 'hold timer of BGP 30 s')]",
    );
    await b.find(
      "//table[@aria-label='Ranges']//tr[contains(., 'Published services') and contains(., '10.40.8.140-10.40.8.159')]",
    );
    await b.act("//tr[contains(., 'bw-uplink') and contains(., 'reached, and answered')]//button");
    await b.see('route add 10.40.8.140/30 via 10.40.0.1');
    await b.act("//*[@role='tab'][normalize-space(.)='dnsmasq']");
    await b.see('dhcp-option=option:classless-static-route,10.40.8.140/30,10.40.0.1');
  });
  it('gets a network of its own, is shown first what that makes, and stands where it stood when it is undone', async () => {
    await open('/clusters/plover?site=lr&tab=reach');
    await b.act("//button[.='Carve a precinct…' and not(@disabled)]");
    await b.find("//*[@role='dialog']//tr[contains(., 'Outbound') and contains(., '10.62.0.3, 10.62.0.11')]");
    await b.find("//*[@role='dialog']//summary[contains(., 'by field')]");
    await b.act("//button[.='Carve' and not(@disabled)]");
    await b.find("//section[@aria-label='Precinct']//tr[contains(., 'Prefix') and contains(., 'carved out of lr-precincts')]");
    const at = async () => (await c.estate()).charters.find((x) => x.name === 'plover')?.machineNetwork;
    await eventually(async () => (await at()) === 'plover-precinct', 'plover to stand in it');
    await b.act("//button[.='Undo']");
    await b.find("//section[@aria-label='Precinct'][contains(., 'Its machines stand in lr-machine')]");
    expect(await at()).toBe('lr-machine');
  });
  it('is deleted with what is kept for it, after that was shown', async () => {
    await open('/clusters/gannet?site=bw');
    await b.act("//button[.='Delete…' and not(@disabled)]");
    await b.find("//*[@role='dialog']//li[contains(., '6 hosts can be chosen for others again')]");
    await b.act("//button[.='Delete' and not(@disabled)]");
    await b.find("//h1[.='Clusters']");
    expect((await c.estate()).charters.map((x) => x.name)).not.toContain('gannet');
  });
});

describe('a table', () => {
  it('is shown line by line before it is taken', async () => {
    await open('/addresses?site=lr&net=lr-machine');
    await b.click('button', 'Import CSV…');
    await (await b.find('//textarea')).sendKeys(
      'ip;hostname;mac;contact\n10.62.8.70;winch;72-b5-e8-12-9e-10;crane desk\n10.62.8.400;bad;;x\n',
    );
    await b.see('"10.62.8.400" is not an address');
    await b.find("//button[@disabled and normalize-space(.)='Take 1 line']");
    await b.act("//input[@type='checkbox']");
    await b.click('button', 'Take 1 line');
    await b.see('1 reservations added');
    expect(await find('10.62.8.70')).toMatchObject({ name: `winch.${zone}`, mac: '72:b5:e8:12:9e:10' });
  });
});

describe('names', () => {
  it('edited at the server behind our back show within a minute', async () => {
    await open(`/addresses/names?site=lr&zone=${zone}`);
    await b.see('foreign');
    const z = served();
    z.records = z.records.map((r) => (r.name === `ns1.${zone}` ? { ...r, value: '10.62.8.99' } : r));
    z.serial++;
    await b.find("//table[@aria-label='Planned against served']//tr[contains(., 'change') and contains(., 'ns1')]");
  });
  it('that are foreign are added to the plan, or removed by their name', async () => {
    await open(`/addresses/names?site=lr&zone=${zone}`);
    await b.clickText('remove…', "//tr[contains(., 'radar-gw')]");
    await b.find("//button[@disabled and normalize-space(.)='Remove it']");
    await b.click('button', 'Cancel');
    await b.clickText('add to plan', "//tr[contains(., 'radar-gw')]");
    await b.find("//tr[contains(., 'radar-gw') and contains(., 'by hand')]");
    expect((await c.estate()).records.some((r) => r.name === `radar-gw.${zone}`)).toBe(true);
    await b.click('button', 'Undo');
    await b.clickText('remove…', "//tr[contains(., 'radar-gw')]");
    await b.type('Its name, typed', `radar-gw.${zone}`);
    await b.click('button', 'Remove it');
    await b.gone('foreign, ignored');
    expect(served().records.some((r) => r.name === `radar-gw.${zone}`)).toBe(false);
  });
  it('in a file from elsewhere are judged line by line, and taken into the plan', async () => {
    const file = join(mkdtempSync(join(tmpdir(), 'praesidor-file-')), `${zone}.zone`);
    writeFileSync(file, '@ SOA ns1 hm 1 1 1 1 1\n@ NS ns1\nns1 A 10.62.8.53\nsonar A 10.62.8.300\nbeacon CNAME time\n');
    await open(`/addresses/names?site=lr&zone=${zone}`);
    await b.click('button', 'check a zone file');
    await (await b.find("//*[@role='dialog']//input[@type='file']")).sendKeys(file);
    await b.see('10.62.8.300 is not an IPv4 address');
    await b.click('button', 'Add 1 record to the plan');
    await b.see('1 record added to the plan');
    expect((await c.estate()).records.map((r) => `${r.name} ${r.type} ${r.value}`)).toContain(
      `beacon.${zone} CNAME time.${zone}`,
    );
  });
  it('are added by hand, sent, and served', async () => {
    await open(`/addresses/names?site=lr&zone=${zone}`);
    await b.click('button', 'Add a record…');
    await b.type('Name', 'clock');
    await b.type('Value', `time.${zone}`);
    await b.click('button', 'Make this change');
    await b.find("//tr[contains(., 'add') and contains(., 'clock')]");
    await b.clickText('Send ');
    await b.see('As planned');
    expect(served().records.map((r) => `${r.name} ${r.type} ${r.value}`)).toEqual(
      expect.arrayContaining([`clock.${zone} CNAME time.${zone}`, `ns1.${zone} A 10.62.8.53`]),
    );
  });
});
