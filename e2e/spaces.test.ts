import { Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { kinds } from '@praesidor/core/model';
import { eventually, Installation } from '../apps/server/test/installation.ts';
import { type Browser, openBrowser } from './lib/browser.ts';

/** What stands in every space alike: the margin and its remedies, declaring, several tabs, much data and none. */
const i = new Installation();
let b: Browser;
const open = (path: string) => b.open(i.config.publicUrl + path);
beforeAll(async () => {
  await i.start();
  b = await openBrowser();
  const c = await i.as('warden');
  await open('/sign-in');
  await b.driver.manage().addCookie({ name: 'praesidor', value: c.cookie.split('=')[1] as string, path: '/' });
  await eventually(async () => {
    const e = await c.estate();
    return e.observed.bills['1.34.2'] && e.observed.registries['lr-registry'] && e.observed.zones['lr.kestrelferries.example'];
  }, 'what is outside was looked at');
});
afterAll(async () => {
  await b?.close();
  await i.stop();
});
const margin = "//aside[@aria-label='Margin']";

describe('the title line', () => {
  it('keeps a name on one line; facts that are cut are whole while they have the focus', async () => {
    await b.size(960, 800);
    try {
      await open('/hosts/bw-03?site=bw');
      await b.find("//h1[.='bw-03']");
      const line = () =>
        b.driver.executeScript<{ name: number; cut: boolean }>(
          'const h = document.querySelector("h1"), f = h.nextElementSibling; return { name: h.getClientRects().length, cut: f.scrollWidth > f.clientWidth }',
        );
      await b.driver.wait(async () => (await line()).cut, b.timeoutMs, 'facts that are cut');
      expect((await line()).name).toBe(1);
      await b.driver.executeScript('document.querySelector("h1").nextElementSibling.focus()');
      expect(await line()).toEqual({ name: 1, cut: false });
    } finally {
      await b.size(1280, 800);
    }
  });
});

describe('the margin', () => {
  it.each([
    ['/addresses?site=lr&net=lr-machine', 'Service pool lies inside a DHCP scope', 'ADR-001'],
    ['/addresses/names?site=lr&zone=lr.kestrelferries.example', '*.in.plover answers 10.62.8.12', 'DNS-001'],
    ['/hosts?site=bw', 'is not at the baseline', 'HST'],
    ['/images?site=lr', 'Registry certificate ends in', 'IMG-002'],
    ['/clusters', 'Pod range also belongs to petrel', 'CHT'],
  ])('of %s says what is found there, most serious first', async (path, title, code) => {
    await open(path);
    await b.see(title);
    const li = await b.find(`${margin}//li[contains(., ${JSON.stringify(title)})]`);
    expect(await li.getAttribute('data-finding')).toMatch(new RegExp(`^${code}`));
    const order = await b.driver.executeScript<string[]>(
      "return [...document.querySelectorAll('aside li button[aria-label], aside li svg path')].map((p) => p.getAttribute('fill')).filter(Boolean)",
    );
    const rank = (fill: string) => ['var(--brick)', 'var(--ochre)', 'var(--slate)'].indexOf(fill);
    expect(order.map(rank)).toEqual(order.map(rank).sort());
  });
  it('lights its finding from the field and the field from its finding', async () => {
    await open('/addresses?site=lr&net=lr-machine');
    const li = await b.find(`${margin}//li[contains(., 'chart-plotter has no reverse')]`);
    await b.driver
      .actions()
      .move({ origin: li as never })
      .perform();
    expect(await li.getAttribute('class')).toContain('lit');
    await b.press('n');
    await b.find(`${margin}//li[contains(@class, 'lit')]`);
  });
  it('mends a list of servers typed with spaces, in the plan of everybody, and takes it back', async () => {
    const c = await i.as('warden');
    const resolvers = async () => (await c.estate()).sites.find((s) => s.name === 'lr')?.resolvers;
    await open('/addresses?site=lr&net=lr-machine');
    await b.clickText('Store them as a list', margin);
    await b.see('10.62.8.53 10.62.8.54');
    await b.click('button', 'Make this change');
    await b.gone('typed in one string');
    expect(await resolvers()).toEqual(['10.62.8.53', '10.62.8.54']);
    await b.click('button', 'Undo');
    await b.see('DNS servers of Lantern Rock typed in one string');
    expect(await resolvers()).toBe('10.62.8.53 10.62.8.54');
  });
});

describe('declaring', () => {
  it('begins a network with what is known, shows what it would change, saves it, and it is there', async () => {
    await open('/addresses?site=lr');
    await b.press('/');
    await b.type('Go to, or do', 'declare a network');
    await b.press('\uE007');
    await b.see('Network lr-machine-2');
    await b.click('button', 'Save Network lr-machine-2');
    await b.find("//nav[@aria-label='Networks']//button[contains(., 'lr-machine-2')]");
    expect((await (await i.as('warden')).estate()).networks.find((n) => n.name === 'lr-machine-2')?.prefix).toBe(
      '10.62.8.128/25',
    );
  });
  it('says at its line what cannot be read, and saves nothing of it', async () => {
    await open('/declare?kind=Site');
    await b.see('the value is missing');
    await b.find("//button[@disabled and normalize-space(.)='Nothing to save']");
  });
  it('shows what the checks would find before anything is saved', async () => {
    await open('/declare?kind=Charter&site=dnl');
    await b.see('2 control-plane hosts tolerate no more failures than 1');
    expect((await (await i.as('warden')).estate()).charters.map((x) => x.name)).not.toContain('dnl-cluster');
  });
});

describe('several tabs of one person', () => {
  it('all answer, and all learn what one of them changed', async () => {
    const first = await b.driver.getWindowHandle();
    const tabs: string[] = [];
    for (let n = 0; n < 8; n++) {
      const before = await b.driver.getAllWindowHandles();
      await b.driver.executeScript('window.open(arguments[0])', `${i.config.publicUrl}/addresses?site=lr&net=lr-store`);
      const tab = (await b.driver.getAllWindowHandles()).find((h) => !before.includes(h)) as string;
      tabs.push(tab);
      await b.driver.switchTo().window(tab);
      await b.find("//h2[.='lr-store']");
    }
    await (await i.as('planner')).good('POST', '/api/addresses/reserve', {
      network: 'lr-store',
      address: '10.62.9.44',
      owner: { kind: 'hand', name: 'tide desk' },
    });
    for (const tab of tabs) {
      await b.driver.switchTo().window(tab);
      await b.see('by hand, tide desk');
      await b.driver.close();
    }
    await b.driver.switchTo().window(first);
  });
});

describe('a finding', () => {
  it('that somebody lives with folds below the others with its reason, and stands among them again when it is taken back', async () => {
    await b.open(`${i.config.publicUrl}/clusters/dunlin?site=dnl`);
    const row = "//aside//li[contains(., 'dunlin has one worker')]";
    await b.act(`${row}//button[.='Accept…']`);
    await b.type('Reason', 'a ship has room for three');
    await b.click('button', 'Accept');
    await b.clickText('1 finding is accepted');
    await b.find(`${row}[contains(., 'a ship has room for three. warden, until')]`);
    await b.click('button', 'Accept no longer');
    await b.find(`${row}//button[.='Accept…']`);
    // What stops is never accepted.
    expect(await b.count("aside li[data-finding='CHT-003']")).toBe(1);
    const stop = await b.find("//aside//li[@data-finding='CHT-003']");
    expect(await stop.getText()).not.toContain('Accept');
  });
});

describe('new sites', () => {
  const area = "//textarea[@aria-label='Table of sites']";
  const table = "//table[@aria-label='Sites of the table']";
  it('from a table are looked at line by line, corrected, and made as one act that can be undone', async () => {
    await open('/estate');
    await b.click('link', 'New sites', "//nav[@aria-label='Estate']");
    await b.see('Each has, like MV');
    await b.act("//option[.='MV Petrel (ptl)']");
    await b.see('Each has, like MV Petrel');
    await (await b.find(area)).sendKeys('site;title;block\navo;MV Avocet;\nbrt;MV Brent;10.71.0.0/21');
    await b.find(
      `${table}//tr[contains(., 'MV Brent')]//td[contains(., 'line 3: block: 10.71.0.0/21 overlaps that of dnl-bmc, 10.71.7.0/28')]`,
    );
    expect(await b.attribute("//button[.='Make 1 site']", 'disabled')).toBe('true');
    const before = (await (await i.as('warden')).estate()).sites.length;
    await (await b.find(area)).sendKeys(...Array.from({ length: 12 }, () => Key.BACK_SPACE), '10.80.0.0/21');
    await b.find(`${table}//tr[contains(., 'MV Brent')]//td[.='10.80.0.0/21']`);
    await b.clickText('MV Avocet', table);
    await b.find(`${table}//li[contains(., 'Which range have its pods?') and contains(., '10.144.64.0/18')]`);
    await b.find("//aside//li[.='avo-registry']");
    await b.click('button', 'Make 2 sites');
    await b.see('2 sites made: 22 documents.');
    const e = await (await i.as('warden')).estate();
    expect([e.sites.length - before, e.charters.find((x) => x.site === 'avo')?.pods.range]).toEqual([2, '10.144.64.0/18']);
    await b.clickText('Undo');
    await eventually(async () => (await (await i.as('warden')).estate()).sites.length === before, 'the act to be undone');
  });
});

describe('sites among each other', () => {
  it('are drawn by what depends on what, each thing leading to its page', async () => {
    await open('/estate/by-dependency?site=ptl');
    const rows = "//*[@aria-label='What depends on what at MV Petrel']";
    const at = async (name: string) => (await b.find(`${rows}//a[starts-with(@aria-label, '${name}')]`)).getRect();
    const [site, network, hosts, registry, cluster] = [
      await at('Site: MV Petrel'),
      await at('Networks: ptl-machine'),
      await at('Hosts: 3 hosts'),
      await at('Registries: ptl-registry'),
      await at('Clusters: petrel'),
    ];
    expect([site, network, hosts, registry, cluster].map((r) => r.y)).toEqual(
      [site, network, hosts, registry, cluster].map((r) => r.y).sort((x, y) => x - y),
    );
    expect(new Set([site, network, hosts, registry, cluster].map((r) => r.y)).size).toBe(5);
    await b.act(`${rows}//a[starts-with(@aria-label, 'Clusters: petrel')]`);
    await b.find("//h1[.='petrel']");
  });
  it('are compared side by side beyond their names and addresses', async () => {
    await open('/estate/side-by-side?one=ptl&other=dnl');
    await b.find(
      "//table[@aria-label='Set otherwise']//tr[contains(., 'Time servers') and contains(., '10.71.0.60') and contains(., '10.71.1.23')]",
    );
    expect(await b.count('table[aria-label="Set otherwise"] tbody tr')).toBe(1);
    await b.act("//label[contains(., 'Clusters')]/input");
    await b.see('What follows');
    await b.choose('The first', 'petrel at ptl');
    await b.choose('The second', 'dunlin at dnl');
    await b.find("//table[@aria-label='Set otherwise']//tr[contains(., '10.145.0.0/20') and contains(., '10.145.16.0/20')]");
  });
});

describe('a filter', () => {
  it('is saved under a name, found again at another visit, an address as any other, and deleted', async () => {
    await open('/hosts');
    const field = await b.find("//input[@aria-label='Filter hosts by facts']");
    await field.sendKeys('site:bw state:serving');
    await b.act("//button[.='Save filter…']");
    await (await b.find("//input[@aria-label='Name of the filter']")).sendKeys('serving at the hall', Key.ENTER);
    await b.find("//a[.='serving at the hall' and @aria-current='page']");
    await open('/hosts');
    await b.act("//a[.='serving at the hall']");
    await b.find("//input[@aria-label='Filter hosts by facts' and @value='site:bw state:serving']");
    expect(await b.driver.getCurrentUrl()).toContain('q=site%3Abw+state%3Aserving');
    await b.act("//button[@aria-label='Delete the saved filter serving at the hall']");
    // What is filtered by stays.
    await b.find("//button[.='Save filter…']");
  });
});

describe('who comes back', () => {
  const row = (is: string) => `//table[@aria-label='In the plan']//tr[contains(., 'Charter gannet') and contains(., '${is}')]`;
  it('finds what others changed meanwhile, as it becomes more, and nothing at the first visit', async () => {
    const planner = await i.as('planner');
    const set = (value: string) =>
      planner.good('POST', '/api/edits', {
        why: 'x',
        edits: [{ op: 'set', kind: 'Charter', key: 'gannet', path: ['purpose'], value }],
      });
    await set('moored');
    await open('/estate');
    await b.act("//aside//a[.='What changed since my last visit']");
    await b.see('This is your first visit');
    await b.choose('Since', 'a day ago');
    await b.find(row('moored'));
    await set('moored twice');
    await b.find(row('moored twice'));
    await i.query("update account set left_at = now() - interval '1 hour' where login = 'warden'");
    await open('/estate/changed');
    await b.find(`${row('moored twice')}[contains(., 'planner')]`);
    await b.act(`${row('moored twice')}//a`);
    await b.find("//h1[.='gannet']");
  });
});

describe('much, and nothing', () => {
  it('10,000 hosts are listed in a moment, and only those in sight are drawn', async () => {
    const q = (sql: string, p: unknown[] = []) => i.running.ctx.db.query(sql, p);
    const c = await i.as('warden');
    const like = (await c.estate()).hosts.find((h) => h.site === 'bw' && h.facts);
    const docs = Array.from({ length: 10_000 }, (_, n) =>
      kinds.Host.parse({
        ...like,
        name: `tst-${String(n).padStart(5, '0')}`,
        site: 'tst',
        state: 'fit',
        held: undefined,
        rack: undefined,
        unit: undefined,
        bmc: undefined,
        facts: { ...like?.facts, serial: `T${n}`, nics: [] },
      }),
    );
    await i.declare(docs);
    // As whoever writes says that something was written.
    const told = "insert into event (kind, subject) values ('Host', 'tst')";
    try {
      await open('/hosts?site=tst');
      await b.see('tst-00000');
      await b.see('10001 listed');
      expect(await b.count("[role='row']")).toBeLessThan(80);
      await b.type('Filter hosts by facts', 'tst-0999');
      await b.see('10 of 10001');
    } finally {
      await q("delete from host where key like 'tst-0%'");
      await q(told);
    }
  });
  it('forty sites are folded by their state, worst first, with the next moves above them', async () => {
    const many = await new Installation().start({ bare: true });
    try {
      const c = await many.as('warden');
      // Every fourth has a gateway outside its network: something that stops. All checks hold at the others.
      const text = Array.from({ length: 40 }, (_, n) =>
        [
          `kind: Site\nname: s${n}\ntitle: Site ${n}\nform: edge\nreach: open\ndomain: s${n}.kestrelferries.example\nresolvers: [10.0.0.53]`,
          `kind: Network\nname: s${n}-machine\nsite: s${n}\npurpose: machine\nprefix: 10.9.${n}.0/24\ngateway: ${n % 4 ? `10.9.${n}.1` : '10.99.0.1'}`,
        ].join('\n---\n'),
      ).join('\n---\n');
      await c.good('POST', '/api/import', { text });
      await b.open(`${many.config.publicUrl}/sign-in`);
      await b.driver.manage().addCookie({ name: 'praesidor', value: c.cookie.split('=')[1] as string, path: '/' });
      await b.open(`${many.config.publicUrl}/estate`);
      await b.see('10 sites with a stop');
      await b.see('30 sites without findings');
      const order = await b.driver.executeScript<string[]>(
        'return [...document.querySelectorAll("main h2")].map((h) => h.textContent.replace(/ (with|without) .*/, ""))',
      );
      expect(order).toEqual(['Next moves', '10 sites', '30 sites']);
      expect(await b.count('section[aria-label^="Site "]')).toBe(0);
      await b.clickText('10 sites with a stop');
      await b.find("//section[@aria-label='Site 4']");
      expect(await b.count('section[aria-label^="Site "]')).toBe(10);
    } finally {
      await many.stop();
    }
  });
  it('an estate with nothing in it says where to begin, in every space', async () => {
    const bare = await new Installation().start({ bare: true });
    try {
      const c = await bare.as('warden');
      await b.open(`${bare.config.publicUrl}/sign-in`);
      await b.driver.manage().addCookie({ name: 'praesidor', value: c.cookie.split('=')[1] as string, path: '/' });
      for (const [path, title] of [
        ['/estate', 'Nothing is declared yet'],
        ['/hosts', 'No host is listed here'],
        ['/addresses', 'No networks are declared here'],
        ['/addresses/names', 'No zones are declared here'],
        ['/images', 'No release is declared'],
        ['/clusters', 'No cluster is declared here'],
        ['/builds', 'Nothing has been built yet'],
        ['/keyring', 'Keyring'],
      ] as const) {
        await b.open(bare.config.publicUrl + path);
        await b.see(title);
      }
      await b.open(`${bare.config.publicUrl}/estate`);
      await b.click('link', 'Declare the first site');
      await b.find("//*[@aria-label='Documents as text']");
    } finally {
      await bare.stop();
    }
  });
});
