import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { Installation } from '../apps/server/test/installation.ts';
import { openBrowser } from '../e2e/lib/browser.ts';
import { median, percent, quietest, row } from './measure.ts';

/** The sheet of a charter in Chromium: from the key that ends an edit to what follows from it. */
export async function sheet(): Promise<void> {
  const demo = await new Installation().start({ whole: true });
  try {
    await keystrokes(demo, 'tern', 'the demonstration', 50);
  } finally {
    await demo.stop();
  }
  const large = await new Installation().start({ empty: true, serve: false });
  try {
    const seed = spawnSync(
      process.execPath,
      [
        '--conditions=@praesidor/source',
        '--import',
        'tsx',
        join(import.meta.dirname, '../scripts/lib/seed.ts'),
        '--database',
        large.config.databaseUrl,
      ],
      { encoding: 'utf8', env: { ...process.env, PRAESIDOR_KEY: large.config.keyringKey.toString('hex') } },
    );
    if (seed.status !== 0) throw new Error(seed.stderr);
    await large.restart();
    const c = await large.as('warden');
    const { charters } = await c.estate();
    await keystrokes(large, charters[7]?.name ?? '', '10,000 hosts', 100);
  } finally {
    await large.stop();
  }
}

async function keystrokes(i: Installation, charter: string, of: string, most: number) {
  const b = await openBrowser();
  try {
    const c = await i.as('warden');
    await b.open(`${i.config.publicUrl}/sign-in`);
    await b.driver.manage().addCookie({ name: 'praesidor', value: c.cookie.split('=')[1] as string, path: '/' });
    await b.open(`${i.config.publicUrl}/clusters/${charter}`);
    await b.find("//button[@data-field='pods.perNode']");
    await b.find("//aside[contains(., 'checks in')]");
    const times = () =>
      b.driver.executeAsyncScript<number[]>(`
        const done = arguments[0];
        const out = [];
        const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set;
        const follows = () => document.querySelector('main [aria-label="Networks"]').textContent;
        const next = (n) => {
          if (n === 20) return done(out);
          document.querySelector('main [data-field="pods.perNode"]').click();
          requestAnimationFrame(() => requestAnimationFrame(() => {
            const input = document.activeElement;
            set.call(input, String(25 + (n % 2)));
            input.dispatchEvent(new Event('input', { bubbles: true }));
            requestAnimationFrame(() => {
              const before = /\\d+ nodes/.exec(follows())[0];
              const t = performance.now();
              input.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }));
              const look = () => {
                if (/\\d+ nodes/.exec(follows())[0] === before) return;
                seen.disconnect();
                requestAnimationFrame(() => { const c = new MessageChannel(); c.port1.onmessage = () => { out.push(performance.now() - t); setTimeout(() => next(n + 1), 80); }; c.port2.postMessage(0); });
              };
              const seen = new MutationObserver(look);
              seen.observe(document.querySelector('main'), { childList: true, subtree: true, characterData: true });
            });
          }));
        };
        next(0);`);
    // The first ones load what they need.
    await times();
    const { value: keys, stolen } = await quietest(times, 3);
    row(
      `an edit on the sheet of ${charter}, ${of}: from the key to what follows from it`,
      `${median(keys).toFixed(0)} ms, longest ${Math.max(...keys).toFixed(0)} ms${stolen >= 0.01 ? `; ${percent(stolen)} of the processors were taken by others` : ''}`,
      `≤ ${most} ms`,
      median(keys) <= most,
    );
  } finally {
    await b.close();
  }
}
