import { readFileSync } from 'node:fs';
import { openBrowser } from '../e2e/lib/browser.ts';
const [,, out = '/tmp/pics', ...pages] = process.argv;
const acc = JSON.parse(readFileSync('.praesidor/accounts.json', 'utf8'))[0];
const b = await openBrowser();
try {
  await b.open('http://127.0.0.1:8080/');
  if (process.env.SIGNIN) await b.picture(`${out}/signin.png`);
  await b.type('Login', acc.login); await b.type('Password', acc.password); await b.click('button', 'Sign in');
  await b.see('Next moves');
  if (process.env.NIGHT) await b.driver.executeScript("localStorage.setItem('theme','night')");
  for (const p of pages) { const [name, path] = p.split('='), url = p.slice(name!.length + 1); void path; await b.open(`http://127.0.0.1:8080${url}`); await b.find('//h1'); await b.driver.sleep(1200); await b.picture(`${out}/${name}.png`); }
  const logs = await b.driver.manage().logs().get('browser'); for (const l of logs) console.log(l.level.name, l.message.slice(0, 300));
} finally { await b.close(); }
