import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { authOf } from '@praesidor/core/images';
import { makeCertificate } from '@praesidor/standins';
import { type Client, eventually, Installation } from '../apps/server/test/installation.ts';
import { type Browser, openBrowser } from './lib/browser.ts';

/** Images as somebody moves them in Chromium: from click to effect in the registries' own stores. */
const i = new Installation();
const files = mkdtempSync(join(tmpdir(), 'images-'));
let b: Browser;
let c: Client;
const open = (path: string) => b.open(i.config.publicUrl + path);
const inDialog = "//*[@role='dialog']";
const held = async (registry: string) => new Set((await i.world.stores.get(registry)?.digests()) ?? []);
const bill = async (name: string) => Object.keys((await c.estate()).observed.bills[name]?.blobs ?? {});
beforeAll(async () => {
  mkdirSync(files, { recursive: true });
  await i.start();
  b = await openBrowser();
  c = await i.as('warden');
  await open('/sign-in');
  await b.driver.manage().addCookie({ name: 'praesidor', value: c.cookie.split('=')[1] as string, path: '/' });
  await eventually(async () => {
    const o = (await c.estate()).observed;
    return (
      ['1.34.2', '1.33.6', 'log-shipper', 'inbound-router'].every((n) => o.bills[n]) &&
      ['lr-registry', 'bw-registry', 'ptl-registry'].every((n) => o.registries[n])
    );
  }, 'bills and registries');
});
afterAll(async () => {
  await b?.close();
  await i.stop();
  rmSync(files, { recursive: true, force: true });
});

describe('a shipment in cases', () => {
  it('is planned with what follows, packed, landed case by case, and whole', async () => {
    await open('/images?plan=lr-registry&bills=1.33.6');
    await b.type('One case holds', '330 kB');
    await b.find(`${inDialog}//*[contains(., '3 cases of 330 kB')]`);
    await b.click('button', 'Pack the cases', inDialog);
    await b.see('packed: carry it there, then land it');
    await b.driver.findElement(By.xpath("//button[starts-with(@aria-label, 'case 2,')]")).click();
    await b.see('Cases 1 and 3 did not land yet.');
    const some = await held('lr-registry');
    expect((await bill('1.33.6')).some((d) => !some.has(d))).toBe(true);
    await b.click('button', 'Land the rest');
    await b.see('landed and verified');
    const all = await held('lr-registry');
    expect((await bill('1.33.6')).filter((d) => !all.has(d))).toEqual([]);
  });
  it('of a size that is none is not planned', async () => {
    await open('/images?plan=lr-registry&bills=log-shipper');
    await b.type('One case holds', 'a lot');
    await b.see('write it like 60 GB or 700 MB');
    await b.find(`${inDialog}//button[normalize-space(.)='Pack the cases' and @disabled]`);
  });
});

describe('a ship', () => {
  it('is told how long its link takes, and gets its images in port', async () => {
    await open('/images?plan=ptl-registry&bills=log-shipper');
    await b.see('MV Petrel is thin, 8 Mbit/s, 01:00 to 05:00');
    await b.find(`${inDialog}//*[contains(., ' night')]`);
    await b.choose('By', 'fast-link');
    await b.see('MV Petrel is thin, 600 Mbit/s');
    await b.click('button', 'Ship it', inDialog);
    await b.find("//*[@data-row and contains(., 'MV Petrel') and contains(., 'landed and verified')]");
    const all = await held('ptl-registry');
    expect((await bill('log-shipper')).filter((d) => !all.has(d))).toEqual([]);
  });
});

describe('where a pull would go', () => {
  it('is computed as it is typed, and measured when asked', async () => {
    await open('/images');
    await b.choose('host or cluster', 'bw-02');
    await b.type('image', 'images.upstream.example/core/etcd:1.34.2');
    await b.see('longest rule images.upstream.example → registry.bw.kestrelferries.example:5000');
    await b.see('10.40.8.9 lies in bw-machine, as bw-02 does');
    await b.click('button', 'Measure');
    await b.see('registry.bw.kestrelferries.example:5000 answers, its certificate names it, keeper may read');
    await b.type('image', 'images.upstream.example/core/none:1');
    await b.see('this is where it fails');
    await b.type('image', 'etcd');
    await b.see('it must begin with a registry');
  });
});

describe('rules and trust', () => {
  it('shows the files of both runtimes, and says what somebody else’s file lets through', async () => {
    await open('/images/rules?charter=tern');
    await b.see('server = "https://registry.bw.kestrelferries.example:5000"');
    await b.click('button', 'registries.conf');
    await b.see('unqualified-search-registries = []');
    writeFileSync(
      join(files, 'old.conf'),
      '[[registry]]\nprefix = "images.upstream.example"\nlocation = "depot.example"\ninsecure = true\n',
    );
    const [rules] = await b.driver.findElements(By.css('input[type=file][accept=".toml,.conf"]'));
    await rules?.sendKeys(join(files, 'old.conf'));
    await b.see('is asked without looking at its certificate');
    await b.see('is not what follows here');
  });
  it('joins pull secrets, names what conflicts and what is missing, and shows no password', async () => {
    const put = (name: string, auths: object) => {
      writeFileSync(join(files, name), JSON.stringify({ auths }));
      return join(files, name);
    };
    const [input] = await b.driver.findElements(By.css('input[type=file][accept=".json"]'));
    await input?.sendKeys(put('one.json', { 'depot.example': { auth: authOf('reader', 'hush-one') } }));
    await b.see('no file knows it, and tern pulls from there');
    await input?.sendKeys(put('two.json', { 'depot.example': { auth: authOf('reader', 'hush-two') } }));
    await b.see('file 1 says reader, file 2 says reader');
    await b.click('button', 'file 2');
    await b.see('as reader, from file 2');
    expect(await b.text()).not.toContain('hush');
  });
});

describe('releases', () => {
  it('are taken in from what a source publishes, and their bills are walked', async () => {
    await open('/images');
    await b.click('button', 'Take in releases…');
    await b.find(`${inDialog}//label[contains(., 'log-shipper') and contains(., 'as it is declared here')]`);
    await b.find(`${inDialog}//label[contains(., 'time-keeper') and contains(., 'not declared here')]`);
    await b.click('button', 'Declare 1', inDialog);
    await b.see('time-keeper: declared; its bill is being walked.');
    await b.find("//table[@aria-label='Images at each registry']//tr[contains(., 'time-keeper') and contains(., '1 image')]");
    expect((await c.estate()).addons.map((a) => a.name)).toContain('time-keeper');
  });
});

describe('where a mirror keeps images', () => {
  it('is set in place after showing what it changes, said to the runtime, and taken back', async () => {
    await open('/images/rules?charter=dunlin');
    await b.act("//button[contains(@aria-label, 'where dnl-registry keeps images.upstream.example')]");
    await b.type('below which path dnl-registry keeps images.upstream.example', 'Not A Path\uE007');
    await b.click('button', 'Make this change', inDialog);
    await b.see('a path of lower-case letters, digits and separators');
    await b.click('button', 'Cancel', inDialog);
    await b.act("//button[contains(@aria-label, 'where dnl-registry keeps images.upstream.example')]");
    await b.type('below which path dnl-registry keeps images.upstream.example', 'mirrored\uE007');
    await b.see('source images.upstream.example, under mirrored');
    await b.click('button', 'Make this change', inDialog);
    await b.see('server = "https://registry.dnl.kestrelferries.example:5000/v2/mirrored"');
    await b.see('override_path = true');
    expect((await c.estate()).registries.find((r) => r.name === 'dnl-registry')?.keeps).toEqual([
      { source: 'images.upstream.example', under: 'mirrored' },
    ]);
    await b.click('button', 'Undo');
    await b.gone('/v2/mirrored');
  });
});

describe('a registry’s certificate', () => {
  const shown = async () => (await c.estate()).observed.registries['dnl-registry']?.certificate;
  it('is signed by an authority made here, trusted first, handed over, and the old one goes out of the trust', async () => {
    const before = await shown();
    await open('/images/rules?site=dnl');
    await b.click('button', 'Renew… the certificate of dnl-registry');
    await b.see('shows one that MV Dunlin CA signed');
    await b.click('button', 'Trust this authority', inDialog);
    await b.see('MV Dunlin images CA is in the trust bundle, and in every boot kit from now on');
    await b.type('Valid for', '90');
    await b.click('button', 'Install the certificate', inDialog);
    await b.see('Installed on dnl-registry, valid until');
    expect((await shown())?.fingerprint).not.toBe(before?.fingerprint);
    expect((await shown())?.issuer).toBe('MV Dunlin images CA');
    await b.click('button', 'Remove it…', inDialog);
    await b.click('button', 'Make this change', "(//*[@role='dialog'])[last()]");
    await b.see('last, the CA of the old one is removed from the trust bundle');
    const ca = (await c.estate()).registries.find((r) => r.name === 'dnl-registry')?.ca ?? '';
    expect(ca.match(/BEGIN CERTIFICATE/g)).toHaveLength(1);
    // With the old anchor gone it is still trusted: looked at anew, and not from memory.
    const { seen } = await c.good<{ seen: { certificate: { trusted: boolean } } }>('POST', '/api/registries/dnl-registry/look');
    expect(seen.certificate.trusted).toBe(true);
    await b.click('button', 'Done', inDialog);
    await b.see('is renewed from here');
  });
  it('is refused by name when it is somebody else’s', async () => {
    await open('/images/rules?registry=lr-registry');
    await b.act(`${inDialog}//label[contains(., 'made there too')]`);
    writeFileSync(
      join(files, 'other.crt'),
      (await makeCertificate({ commonName: 'x', names: ['depot.elsewhere.example'] })).cert,
    );
    writeFileSync(join(files, 'other.key'), (await makeCertificate({ commonName: 'y' })).key);
    const inputs = await b.driver.findElements(By.css('[role=dialog] input[type=file]'));
    await inputs[0]?.sendKeys(join(files, 'other.crt'));
    await inputs[1]?.sendKeys(join(files, 'other.key'));
    await b.click('button', 'Install the certificate', inDialog);
    await b.see('it is for depot.elsewhere.example, not for registry.lr.kestrelferries.example');
    await b.see('the key belongs to another certificate');
  });
});

describe('the kit of a registry', () => {
  it('is made, shows its passwords once, and is taken once', async () => {
    await open('/images/rules?site=tst');
    await b.click('button', 'Kit… of tst-registry');
    await b.type('Valid for', '200');
    await b.click('button', 'Make the kit', inDialog);
    await b.see('keeps the password that the keyring has');
    const link = String(await b.attribute(`${inDialog}//a[contains(., 'Take the archive')]`, 'href'));
    const take = () => fetch(link, { headers: { cookie: c.cookie } });
    const first = await take();
    expect([first.status, first.headers.get('content-type')]).toEqual([200, 'application/gzip']);
    expect(Buffer.from(await first.arrayBuffer()).subarray(0, 2)).toEqual(Buffer.from([0x1f, 0x8b]));
    expect((await take()).status).toBe(404);
    await b.click('button', 'Done', inDialog);
    await b.click('button', 'Kit… of tst-registry');
    await b.see('issued by a new CA of its own');
    expect(await b.text()).not.toContain('is shown now and never again');
  });
});

describe('what can be deleted', () => {
  it('is listed with its reasons, confirmed by name, and taken away', async () => {
    await open('/images/clean-up?registry=ptl-registry');
    await b.see('petrel');
    await b.find("//label[contains(., 'log-shipper') and contains(., 'that nothing else names')]");
    await b.clickText(' tags…');
    await b.type('Names', 'ptl-registry');
    await b.click('button', 'Delete', inDialog);
    await b.see('are gone from ptl-registry');
    await b.see('every bill here is needed by something below');
    expect((await i.world.stores.get('ptl-registry')?.names())?.filter((n) => n.includes('log-shipper'))).toEqual([]);
  });
  it('is scrubbed, with what did not verify', async () => {
    const [digest] = (await bill('inbound-router')) as [string];
    writeFileSync(i.world.stores.get('ptl-registry')?.blobPath(digest) as string, 'rot');
    await b.click('button', 'Scrub');
    await b.see('1 did not verify and were put aside');
    await b.see(`${digest.slice(0, 23)}…`);
  });
});

describe('pulls', () => {
  it('are read from the log: who pulled, and who tried the outside', async () => {
    const line = (agent: string, repository: string, status = 200) => ({
      at: new Date().toISOString(),
      client: '10.40.199.33',
      user: 'keeper',
      agent,
      kind: 'manifest' as const,
      repository,
      reference: '1.34.2',
      digest: '',
      status,
    });
    await i.world.stores.get('bw-registry')?.logPull(line('node/bw-02', 'core/etcd'));
    await i.world.stores.get('bw-registry')?.logPull(line('node/bw-02', 'core/unknown', 404));
    await i.world.stores.get('upstream')?.logPull(line('node/bw-02', 'core/pause'));
    for (const r of ['bw-registry', 'upstream']) await c.good('POST', `/api/registries/${r}/pulls`);
    await open('/images/pulls?site=bw');
    await b.see('1 image was requested outside the mirror');
    await b.find("//table[@aria-label='By host']//td[.='bw-02']");
    await b.see('1 asked for and not there');
    expect(await b.text()).toContain('core/etcd:1.34.2');
  });
});

describe('the hand-over', () => {
  const choose = async () => {
    await open('/images/clean-up?registry=lr-registry');
    await b.act("//select[@aria-label='standing registry']/option[.='bw-registry']");
  };
  it('switches a cluster once its content is there, and keeps the starter while hosts read from it', async () => {
    await choose();
    await b.see('bw-registry holds everything of');
    await b.see('what is there was not proved yet');
    await b.click('button', 'Read again');
    await b.see('blobs again, and every one verifies');
    await b.see('1 cluster still pulls from it');
    await b.clickText('Switch…');
    await b.click('button', 'Make this change', inDialog);
    await b.see('plover pulls from bw-registry');
    await b.see('nothing uses lr-registry any more: it can be taken down');
    expect((await c.estate()).charters.find((x) => x.name === 'plover')?.mirror).toBe('bw-registry');
    // Somebody who was not told, and who is no host of the estate: what is read there is read all the same.
    await i.world.stores.get('lr-registry')?.logPull({
      at: new Date().toISOString(),
      client: '10.62.8.13',
      user: 'puller',
      agent: 'runtime',
      kind: 'manifest',
      repository: 'core/etcd',
      reference: '1.34.2',
      digest: '',
      status: 200,
    });
    await choose();
    await b.see('it was read once since');
    await b.see('last read by 10.62.8.13');
  });
});

describe('many registries', () => {
  const n = 30;
  beforeAll(async () => {
    const site = (k: number) =>
      [
        `kind: Site\nname: e${k}\ntitle: Edge ${k}\nform: edge\nreach: thin\ndomain: e${k}.kestrelferries.example\nlink: {rateMbit: 8}`,
        `kind: Network\nname: e${k}-machine\nsite: e${k}\npurpose: machine\nprefix: 10.${100 + k}.1.0/24\ngateway: 10.${100 + k}.1.1`,
        `kind: Registry\nname: e${k}-registry\nsite: e${k}\nrole: starter\nendpoint: 'registry.e${k}.kestrelferries.example:5000'`,
        `kind: Charter\nname: edge-${k}\nsite: e${k}\nrelease: 1.33.6\nmirror: e${k}-registry\ncontrolPlane: {count: 1}\nworkers: {count: 0}\nmachineNetwork: e${k}-machine\npods: {range: 10.${140 + k}.0.0/18}\nservices: {range: 10.${180 + k}.0.0/20}\noverlay: {kind: none}`,
      ].map((d) => `apiVersion: praesidor/v1\n${d}\n`);
    await c.good('POST', '/api/import', {
      text: Array.from({ length: n }, (_, k) => site(k))
        .flat()
        .join('---\n'),
    });
    // Two hold what a ship holds, the others have never been reached; one of the two lacks a layer.
    const { observed } = await c.estate();
    const whole = observed.registries['dnl-registry'];
    const lack = Object.keys(observed.bills['1.33.6']?.blobs ?? {})[3];
    for (const [name, seen] of [
      ['e3-registry', { ...whole, digests: whole?.digests.filter((x) => x !== lack) }],
      ['e4-registry', whole],
    ] as const)
      await i.running.ctx.db.manager.query(
        "insert into observation values ('registry', $1, now(), $2) on conflict (kind, subject) do update set data = excluded.data",
        [name, JSON.stringify(seen)],
      );
  });
  it('stand below each other, with those that are behind first, and are found by typing', async () => {
    await open('/images');
    await b.see('registries are behind');
    // Edge 3 lacks a layer: no other edge stands before it. Of the others nothing is known, which is told.
    await b.find(
      "//table[@aria-label='Images at each registry']/tbody/tr[.//b[.='Edge 3'] and not(preceding-sibling::tr[.//b[starts-with(., 'Edge')]])]",
    );
    await b.find("//table[@aria-label='Images at each registry']/tbody/tr[.//b[.='Edge 7'] and contains(., 'not known')]");
    await b.type('find a registry', 'edge 4');
    await b.find("//table[@aria-label='Images at each registry']/tbody[count(tr)=1]/tr[.//b[.='Edge 4']]");
    await b.type('find a registry', 'no such site');
    await b.see('No registry or site fits no such site.');
    await b.type('find a registry', 'edge 3');
    await b.clickText('Plan a shipment', "//table[@aria-label='Images at each registry']");
    await b.find(`${inDialog}//*[contains(., 'Edge 3 is thin, 8 Mbit/s')]`);
    await b.see('1 layer');
  });
});
