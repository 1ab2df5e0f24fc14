import { join } from 'node:path';
import { eventually, Installation } from '../apps/server/test/installation.ts';
import { openBrowser } from './lib/browser.ts';
import { followNextMoves, type Station } from './walk.ts';

/** One current picture of each main view, taken on the walk through the demonstration. */
const i = await new Installation().start({ whole: true, speed: 120 });
const c = await i.as('warden');
await eventually(async () => {
  const e = await c.estate();
  return (
    ['1.34.2', '1.33.6', 'log-shipper', 'inbound-router'].every((n) => e.observed.bills[n]) &&
    Object.keys(e.observed.registries).length >= 5 &&
    Object.keys(e.observed.hypervisors).length === 3 &&
    Object.keys(e.observed.zones).length > 3
  );
}, 'everything looked at');
const b = await openBrowser();
const shot = (name: string) => b.picture(join(import.meta.dirname, '../docs/screenshots', `${name}.png`));
const page = async (name: string, path: string, sees: string) => {
  await b.open(i.config.publicUrl + path);
  await b.see(sees);
  await b.find("//aside[not(contains(., 'checking…'))]");
  await shot(name);
};
try {
  const at: Partial<Record<Station, () => Promise<void>>> = {
    'signed-in': async () => {
      await b.find("//section[@aria-label='Lantern Rock']//*[contains(., 'layers missing')]");
      await shot('estate');
      await page('addresses', '/addresses?site=lr&net=lr-machine', 'claimed twice');
      await page('hypervisors', '/hosts/hypervisors?site=bw', 'staging-node');
      await page(
        'trace',
        '/addresses/trace?site=lr&from=10.62.40.17&to=plover/radar-archive&port=443&bytes=1400',
        'the path is lost',
      );
      await c.good('POST', '/api/hosts/sweep', { site: 'bw', range: '10.40.7.11-10.40.7.24' });
      const seen = await eventually(async () => {
        const s = (await c.estate()).observed.sightings;
        return s.length === 14 && s;
      }, 'controllers of Breakwater Hall');
      await c.good('POST', '/api/hosts/accept', {
        credential: 'bmc-bw',
        addresses: seen.map((s) => ({ address: s.address, fingerprint: s.fingerprint })),
      });
      await page('rehearse', '/rehearse?site=bw&cluster=tern&lost=bw-02', 'Worst first');
      for (let n = 0; n < 6; n++) await c.good('POST', '/api/hosts/bw-14/sensors');
      await page('host', '/hosts/bw-14?site=bw', 'bw-sw1a Eth34');
      await b.open(`${i.config.publicUrl}/declare?kind=Charter&site=lr`);
      await b.find("//*[contains(@class, 'cm-lint-marker')]");
      await b.find("//*[@aria-label='What would change']");
      await b.find("//aside[not(contains(., 'checking…'))]");
      await shot('declare');
      await page('template', '/clusters/templates/ship-edge', 'Answer 4 questions');
      await page('people', '/people', 'Where you are signed in');
      await page('images', '/images?site=lr', 'Where would');
      const planner = await i.as('planner');
      const { id } = await planner.good<{ id: number }>('POST', '/api/proposals', {
        title: 'Larger packets aboard MV Petrel',
        why: 'The cameras of the car deck send 8 kB at a time; the switches were exchanged in the yard.',
        edits: [
          { op: 'set', kind: 'Network', key: 'ptl-machine', path: ['mtu'], value: 9000 },
          { op: 'set', kind: 'Charter', key: 'petrel', path: ['overlay', 'mtu'], value: 9000 },
        ],
      });
      await planner.good('POST', `/api/proposals/${id}/comments`, { text: 'The link to the shore keeps 1500.' });
      await c.good('POST', '/api/edits', {
        why: 'two people aboard',
        edits: [{ op: 'set', kind: 'Site', key: 'ptl', path: ['fourEyes'], value: true }],
      });
      await page('proposal', `/proposals/${id}`, 'asks for a second person');
      await b.open(`${i.config.publicUrl}/estate`);
      await b.see('Next moves');
    },
    listed: async () => {
      const here = await b.driver.getCurrentUrl();
      await page('hosts', '/hosts?site=lr&host=lr-03', 'lr-03 as a');
      await page('sheet', '/clusters/plover?site=lr', 'lr-02 A');
      await page('files', '/clusters/plover?site=lr&tab=files&file=hosts%2Flr-02%2Fuser-data', '#cloud-config');
      await b.open(here);
      await b.find('//h1');
    },
    building: async () => {
      await b.find("//*[@data-state='done' and contains(@data-step, 'lr-02/images')]");
      await b.find("//*[@data-state='running' and contains(@data-step, 'lr-05/images')]");
      await shot('build');
    },
    outputs: async () => {
      await shot('proof');
      await page('names', '/addresses/names?site=lr&zone=lr.kestrelferries.example', 'foreign');
      await page('proving', '/proving', 'Running clusters');
      await b.driver.executeScript("localStorage.setItem('theme', 'night')");
      await c.good('POST', '/api/edits', {
        why: 'one worker fewer',
        edits: [
          { op: 'set', kind: 'Charter', key: 'plover', path: ['workers', 'count'], value: 2 },
          { op: 'set', kind: 'Charter', key: 'plover', path: ['except'], value: ['lr-05'] },
        ],
      });
      await page('night', '/clusters/plover/change', 'cannot be undone');
    },
  };
  await followNextMoves(b, i.config.publicUrl, { login: 'warden', password: i.password }, async (s) => {
    await at[s]?.();
  });
} finally {
  await b.close();
  await i.stop();
}
process.exit(0);
