import { builtOrBroken, Installation, prepare } from '../apps/server/test/installation.ts';
import { openBrowser } from '../e2e/lib/browser.ts';
import { keystrokes, within } from '../e2e/lib/keystrokes.ts';
import { median, row } from './measure.ts';

/** The shell of a cluster in a real browser: how soon a key is shown, beside a plain field of the same page; and how soon a command says something. */
export async function shell() {
  const i = await new Installation().start();
  const b = await openBrowser();
  try {
    const c = await i.as('warden');
    await prepare(c);
    await c.good('POST', '/api/builds', { charter: 'plover' });
    if ((await builtOrBroken(c)).status.state !== 'done') throw new Error('plover was not built');
    await b.open(i.config.publicUrl);
    await b.driver.manage().addCookie({ name: 'praesidor', value: c.cookie.split('=')[1] as string, path: '/' });
    await b.open(`${i.config.publicUrl}/clusters/plover?tab=shell`);
    await b.find("//textarea[@aria-label='Command for plover']");
    const shown = await keystrokes(b, '.xterm-helper-textarea', '.xterm-rows');
    await b.driver.executeScript("const f = document.createElement('input'); f.id = 'plain'; document.body.prepend(f)");
    const plain = await keystrokes(b, '#plain', '#plain');
    row(
      'a key in the shell',
      `half in ${within(shown, 0.5)} ms, 99 of 100 in ${within(shown, 0.99)} ms; a plain field half in ${within(plain, 0.5)} ms, 99 of 100 in ${within(plain, 0.99)} ms`,
      '99 of 100 ≤ 50 ms',
      within(shown, 0.99) <= 50,
    );
    const taken: number[] = [];
    for (let n = 0; n < 10; n++) {
      const at = performance.now();
      const r = await fetch(`${i.config.publicUrl}/api/charters/plover/shell`, {
        method: 'POST',
        headers: { cookie: c.cookie, 'x-csrf-token': c.csrf, 'content-type': 'application/json' },
        body: JSON.stringify({ line: 'get nodes' }),
      });
      if (!(await r.text()).includes('lr-08')) throw new Error('kubectl did not list the nodes');
      taken.push(performance.now() - at);
    }
    row(
      'a command in the shell, from the line to its end',
      `${median(taken).toFixed(0)} ms`,
      '≤ 1000 ms, ours',
      median(taken) <= 1000,
    );
  } finally {
    await b.close();
    await i.stop();
  }
}
