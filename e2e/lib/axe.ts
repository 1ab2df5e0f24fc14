import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser } from './browser.ts';

const axe = readFileSync(join(import.meta.dirname, '../../node_modules/axe-core/axe.min.js'), 'utf8');

/** Everything that axe finds on the page as it stands, however small; of these rules only, where some are named. */
export async function axeFaults(b: Browser, rules?: string[]): Promise<string[]> {
  // 600 kB of script: once a page.
  if (!(await b.driver.executeScript<boolean>('return "axe" in window'))) await b.driver.executeScript(axe);
  const found = await b.driver.executeAsyncScript<{ violations: { id: string; impact: string; nodes: { html: string }[] }[] }>(
    "axe.run(document, { resultTypes: ['violations'], ...(arguments[0] ? { runOnly: { type: 'rule', values: arguments[0] } } : {}) }).then(arguments[1])",
    rules ?? null,
  );
  return found.violations.map((v) => `${v.id}: ${v.nodes[0]?.html.slice(0, 160)}`);
}
