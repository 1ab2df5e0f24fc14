import { readFileSync } from 'node:fs';
import { openBrowser } from '../e2e/lib/browser.ts';
import { followNextMoves } from '../e2e/walk.ts';
const acc = JSON.parse(readFileSync('.praesidor/accounts.json', 'utf8'))[0];
const b = await openBrowser();
try { await followNextMoves(b, 'http://127.0.0.1:8080/', acc, async (s) => { console.log(new Date().toISOString(), s); await b.driver.sleep(400); await b.picture(`/tmp/pics/w-${s}.png`); }); }
catch (e) { console.log((e as Error).message); await b.picture('/tmp/pics/w-error.png'); }
finally { const logs = await b.driver.manage().logs().get('browser'); for (const l of logs) console.log(l.level.name, l.message.slice(0, 300)); await b.close(); }
