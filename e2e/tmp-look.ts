import { eventually, Installation } from '../apps/server/test/installation.ts';
import { openBrowser } from './lib/browser.ts';
const i = await new Installation().start({ whole: true, speed: 120 });
const c = await i.as('warden');
await eventually(async () => { const e = await c.estate(); return ['1.34.2', '1.33.6', 'log-shipper', 'inbound-router'].every((n) => e.observed.bills[n]) && Object.keys(e.observed.registries).length >= 5; }, 'looked');
const b = await openBrowser();
await b.open(i.config.publicUrl);
await b.driver.manage().addCookie({ name: 'praesidor', value: c.cookie.split('=')[1] as string, path: '/' });
const go = async (path: string, file: string, sees = 'Margin') => { await b.open(i.config.publicUrl + path); await b.see(sees); await b.find("//aside[not(contains(., 'checking…'))]"); await new Promise(r=>setTimeout(r,1200)); await b.picture(`/tmp/${file}.png`); };
try {
  await go('/clusters/templates/ship-edge', 't1', 'dunlin');
  await b.act("//button[contains(@aria-label,'Where dunlin differs')]");
  await new Promise(r=>setTimeout(r,500)); await b.picture('/tmp/t2.png');
  await go('/clusters/templates/ship-edge?tab=questions', 't3', 'Which ship?');
  await go('/clusters/new?template=ship-edge&site=sdl', 't4', 'Which ship?');
  await go('/clusters/plover', 't5', 'plover');
  await b.driver.executeScript("document.querySelector('main').scrollTo(0, 900)");
  await b.picture('/tmp/t6.png');
  await b.act("//button[@data-field='pools']");
  await b.act("//div[@role='dialog']//button[text()='Add']");
  await new Promise(r=>setTimeout(r,700)); await b.picture('/tmp/t7.png');
} catch (e) { console.error(e); await b.picture('/tmp/terr.png'); }
await b.close(); await i.stop(); process.exit(0);
