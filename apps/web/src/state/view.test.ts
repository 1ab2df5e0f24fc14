import { afterEach, expect, it, vi } from 'vitest';

/** The store as a page finds it when it is opened over that storage. */
async function opened(storage: Partial<Storage>, dark = false) {
  vi.resetModules();
  vi.stubGlobal('localStorage', storage);
  vi.stubGlobal('document', { documentElement: { dataset: {} } });
  vi.stubGlobal('matchMedia', () => ({ matches: dark }));
  return import('./view.ts');
}
const storage = (kept: Record<string, string>) => ({
  getItem: (k: string) => kept[k] ?? null,
  setItem: (k: string, v: string) => {
    kept[k] = v;
  },
});
const shown = () => document.documentElement.dataset.theme;
afterEach(() => {
  vi.unstubAllGlobals();
});

it('a theme that was chosen is there after a reload, and at once', async () => {
  const kept: Record<string, string> = {};
  const { useView } = await opened(storage(kept));
  expect(useView.getState().theme).toBe('system');
  useView.getState().setTheme('night');
  expect(shown()).toBe('night');
  expect((await opened(storage(kept))).useView.getState().theme).toBe('night');
});
it.each([
  ['system', true, 'night'],
  ['system', false, 'light'],
  ['light', true, 'light'],
  ['night', false, 'night'],
] as const)('%s is, with a dark system %s, %s', async (theme, dark, is) => {
  const { applyTheme } = await opened(storage({}), dark);
  applyTheme(theme);
  expect(shown()).toBe(is);
});
it('margins are folded space by space, and stay so', async () => {
  const kept: Record<string, string> = {};
  const { useView } = await opened(storage(kept));
  useView.getState().fold('hosts');
  useView.getState().fold('images');
  useView.getState().fold('images');
  expect((await opened(storage(kept))).useView.getState().folded).toEqual({ hosts: true, images: false });
});
it('a browser that keeps nothing is no reason to fail', async () => {
  const refuses = () => {
    throw new Error('denied');
  };
  const { useView } = await opened({ getItem: refuses, setItem: refuses });
  useView.getState().setTheme('night');
  useView.getState().fold('hosts');
  expect(shown()).toBe('night');
  expect(useView.getState().folded).toEqual({ hosts: true });
});
