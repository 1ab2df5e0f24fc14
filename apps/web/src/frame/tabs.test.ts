import { expect, it } from 'vitest';
import { scoped } from '../state/scope.ts';
import { secondaryTabs, tabs } from './tabs.ts';

it('every space has a letter and a path of its own', () => {
  const all = [...tabs, ...secondaryTabs];
  expect(new Set(all.map((t) => t.key)).size).toBe(all.length);
  expect(new Set(all.map((t) => t.path)).size).toBe(all.length);
  // J, K and N go through rows and findings: behind G they may mean a space, alone they never do.
  for (const t of all) expect(t.key).toMatch(/^[a-z]$/);
});
it.each([
  ['/hosts', '', '/hosts'],
  ['/hosts', 'bw', '/hosts?site=bw'],
  ['/images?plan=x', 'bw', '/images?plan=x&site=bw'],
  ['/hosts?site=lr', 'bw', '/hosts?site=lr'],
])('%s at the site %s is %s', (path, site, is) => {
  expect(scoped(path, site)).toBe(is);
});
