import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { OtherInstallations } from '@praesidor/contract';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Client, eventually, Installation, listed, shipmentIn } from '../apps/server/test/installation.ts';
import { Plover } from '../apps/server/test/plover.ts';
import { axeFaults } from './lib/axe.ts';
import { type Browser, openBrowser } from './lib/browser.ts';

/** The estate at home, and an installation of its own in the sealed room: plan and images are carried there, plover is built there, and what came of it comes home. */
const home = new Installation();
const room = new Installation();
let h: Client;
let r: Client;
let b: Browser;
const dir = mkdtempSync(join(tmpdir(), 'carried-'));
const shot = async (name: string) => (process.env.SHOTS ? b.picture(join(process.env.SHOTS, `${name}.png`)) : undefined);

beforeAll(async () => {
  await home.start();
  await room.start({ bare: true, beside: home });
  [h, r] = [await home.as('warden'), await room.as('warden')];
  b = await openBrowser();
});
afterAll(async () => {
  await b?.close();
  await room.stop();
  await home.stop();
  rmSync(dir, { recursive: true, force: true });
});
/** The person goes to the other installation: a browser has one session an address. */
async function at(i: Installation, c: Client, path: string) {
  await b.open(`${i.config.publicUrl}/sign-in`);
  await b.driver.manage().addCookie({ name: 'praesidor', value: c.cookie.split('=')[1] as string, path: '/' });
  await b.open(i.config.publicUrl + path);
}
async function fetched(c: Client, path: string): Promise<Buffer> {
  const a = await fetch(`${c.url}${path}`, { headers: { cookie: c.cookie } });
  if (!a.ok) throw new Error(`${path}: ${await a.text()}`);
  return Buffer.from(await a.arrayBuffer());
}
const other = async (c: Client) =>
  (await c.good<OtherInstallations>('GET', '/api/installations')).others[0] as OtherInstallations['others'][number];
/** Made in the browser, carried as a file. @returns where it lies */
async function made(from: Client, name: string): Promise<string> {
  const before = (await other(from)).bundles.length;
  await b.click('button', 'Make a bundle');
  await b.see(`for ${name} is made`);
  const bundle = await eventually(async () => {
    const { bundles } = await other(from);
    return bundles.length > before && bundles.find((x) => x.way === 'to');
  }, 'a bundle');
  const file = join(dir, `${name}-${bundle.number}.tar.gz`);
  writeFileSync(file, await fetched(from, `/api/bundles/${bundle.id}/file`));
  return file;
}
const brought = async (file: string) => (await b.find("//input[@type='file']")).sendKeys(file);

describe('a sealed room with an installation of its own', () => {
  it('is trusted by its key, and it is said where it stands', async () => {
    const key = async (c: Client) => (await c.good<OtherInstallations>('GET', '/api/installations')).own.key;
    await r.good('POST', '/api/trust/installations', { name: 'breakwater-hall', key: await key(h) });
    await at(home, h, '/estate/installations');
    await b.see('This is the only installation that is known here');
    await b.click('button', 'Add an installation…');
    await b.type('Name', 'lantern-rock');
    await b.type('Public key', await key(r));
    await b.click('button', 'Trust it');
    await b.click('button', 'Change sites… of lantern-rock');
    await b.act("//label[contains(., 'Lantern Rock')]//input");
    await b.click('button', 'Save');
    await b.see('nothing came yet');
    expect(await axeFaults(b)).toEqual([]);
  });
  it('gets the plan in a bundle: shown as what it would change, then taken in', async () => {
    const file = await made(h, 'lantern-rock');
    await at(room, r, '/estate/installations');
    await brought(file);
    await b.find("//h1[.='Bundle 1 of breakwater-hall']");
    await b.see('Nothing is changed yet');
    expect(await axeFaults(b)).toEqual([]);
    expect((await r.estate()).charters).toEqual([]);
    await b.click('button', 'Take in…');
    await b.click('button', 'Take in');
    await b.see('and the evidence of');
    expect((await r.estate()).charters.map((c) => c.name)).toEqual(['plover']);
  });
  it('gets the images in cases, signed by the installation that it trusts', async () => {
    const { shipment } = await h.good<{ shipment: { label: string } }>('POST', '/api/shipments', {
      target: 'lr-registry',
      bills: ['1.34.2', 'inbound-router', 'log-shipper'],
    });
    await h.good('POST', `/api/shipments/${shipment.label}/start`);
    await shipmentIn(h, shipment.label, 'packed');
    const { shipments } = await h.good<{ shipments: { label: string; cases: { number: number }[] }[] }>('GET', '/api/shipments');
    for (const { number } of shipments.find((s) => s.label === shipment.label)?.cases ?? []) {
      const tar = await fetched(h, `/api/shipments/${shipment.label}/cases/${number}`);
      const a = await fetch(`${r.url}/api/cases`, {
        method: 'POST',
        headers: { cookie: r.cookie, 'x-csrf-token': r.csrf, 'content-type': 'application/x-tar' },
        body: new Uint8Array(tar),
      });
      // The bills came with the bundle: nothing has to be accepted by name.
      expect([a.status, ((await a.json()) as { unverified: string | null }).unverified]).toEqual([201, null]);
    }
    await r.good('POST', `/api/shipments/${shipment.label}/start`);
    await shipmentIn(r, shipment.label, 'landed');
  });
  it('builds its cluster, and brings evidence, facts and what was changed there home', async () => {
    await listed(r);
    await r.good('POST', '/api/edits', {
      why: 'settled',
      edits: [
        { op: 'set', kind: 'Charter', key: 'plover', path: ['servicePool', 'range'], value: '10.62.8.64-10.62.8.79' },
        { op: 'set', kind: 'Charter', key: 'plover', path: ['overlay', 'mtu'] },
      ],
    });
    room.world.clock.setSpeed(3000);
    await r.good('POST', '/api/builds', { charter: 'plover' });
    await new Plover(room, r).done(1);
    await at(room, r, '/estate/installations');
    const file = await made(r, 'breakwater-hall');
    await at(home, h, '/estate/installations');
    await brought(file);
    await b.see('Build plover: done');
    await shot('bundle-home');
    await b.click('button', 'Take in…');
    await b.click('button', 'Take in');
    await b.find("//table[@aria-label='Changes of clusters there']//tr[contains(., 'Build plover')][contains(., '12 of 12')]");
    await shot('installations-home');
    expect(await axeFaults(b)).toEqual([]);

    const [there, here] = [await r.estate(), await h.estate()];
    const serving = (e: typeof here) =>
      e.hosts.filter((x) => x.held?.charter === 'plover' && x.state === 'serving').map((x) => x.name);
    expect(serving(here).length).toBeGreaterThan(3);
    expect(serving(here)).toEqual(serving(there));
    expect(here.hosts.filter((x) => x.site === 'lr')).toEqual(there.hosts.filter((x) => x.site === 'lr'));
    expect(here.charters.find((c) => c.name === 'plover')).toEqual(there.charters.find((c) => c.name === 'plover'));
    // The evidence is what the room itself would give, whole.
    const archive = join(dir, 'evidence.tar.gz');
    writeFileSync(archive, await fetched(h, '/api/installations/lantern-rock/changes/plover/1/evidence.tar.gz'));
    execFileSync('tar', ['-xzf', archive, '-C', dir]);
    execFileSync('sha256sum', ['--quiet', '--strict', '-c', 'SHA256SUMS'], { cwd: join(dir, 'plover-build-1') });
    const own = join(dir, 'own.tar.gz');
    writeFileSync(own, await fetched(r, '/api/builds/plover/1/evidence.tar.gz'));
    const proof = JSON.parse(readFileSync(join(dir, 'plover-build-1/proof.json'), 'utf8')) as { good: boolean }[];
    expect([proof.length, proof.every((p) => p.good)]).toEqual([12, true]);
    expect(execFileSync('tar', ['-xzOf', own, 'plover-build-1/proof.json'], { encoding: 'utf8' })).toBe(
      readFileSync(join(dir, 'plover-build-1/proof.json'), 'utf8'),
    );
    // Its age stands where the site is looked at.
    await b.open(`${home.config.publicUrl}/hosts?site=lr`);
    await b.see('known as of');
  });
  it('is asked for a choice where both have changed one field: side by side, and nothing is lost', async () => {
    const set = (c: Client, value: number) =>
      c.good('POST', '/api/edits', {
        why: 'set',
        edits: [{ op: 'set', kind: 'Network', key: 'lr-machine', path: ['mtu'], value }],
      });
    await set(h, 8900);
    await set(r, 9000);
    await at(home, h, '/estate/installations');
    const file = await made(h, 'lantern-rock');
    await at(room, r, '/estate/installations');
    await brought(file);
    await b.see('1 field was changed here and at breakwater-hall');
    const row = "//section[@aria-label='Network lr-machine was changed here and there']//tr";
    await b.find(`${row}[contains(., '8900')][contains(., '9000')]`);
    await shot('bundle-choice');
    expect(await (await b.find("//button[.='Take in…']")).isEnabled()).toBe(false);
    await b.click('button', 'Keep the value here');
    await b.see('stays as it is here');
    await b.click('button', 'Take in…');
    await b.see('0 documents and');
    await b.click('button', 'Take in');
    await b.see('and the evidence of');
    expect((await r.estate()).networks.find((n) => n.name === 'lr-machine')?.mtu).toBe(9000);
    await eventually(async () => (await b.count("a[href^='/estate/bundles/']")) === 0, 'no bundle to wait any more');
  });
});
