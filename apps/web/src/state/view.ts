import { create } from 'zustand';

export type Theme = 'system' | 'light' | 'night';
const saved = (key: string) => {
  try {
    return localStorage.getItem(key);
  } catch {
    return null;
  }
};
const save = (key: string, value: string) => {
  try {
    localStorage.setItem(key, value);
  } catch {
    /* private windows keep nothing */
  }
};

/** How this person looks at things: theme, and which margins are folded away, space by space. */
export const useView = create<{
  theme: Theme;
  folded: Record<string, boolean>;
  lit: string | undefined;
  goTo: boolean;
  keys: boolean;
  setTheme: (t: Theme) => void;
  fold: (space: string) => void;
  light: (id: string | undefined) => void;
  openGoTo: (on: boolean) => void;
  openKeys: (on: boolean) => void;
}>()((set) => ({
  theme: (saved('theme') as Theme | null) ?? 'system',
  folded: JSON.parse(saved('folded') ?? '{}') as Record<string, boolean>,
  lit: undefined,
  goTo: false,
  keys: false,
  setTheme: (theme) => {
    save('theme', theme);
    set({ theme });
    applyTheme(theme);
  },
  fold: (space) =>
    set((s) => {
      const folded = { ...s.folded, [space]: !s.folded[space] };
      save('folded', JSON.stringify(folded));
      return { folded };
    }),
  light: (lit) => set({ lit }),
  openGoTo: (goTo) => set({ goTo }),
  openKeys: (keys) => set({ keys }),
}));

export function applyTheme(theme: Theme = (saved('theme') as Theme | null) ?? 'system'): void {
  const dark = typeof matchMedia === 'function' && matchMedia('(prefers-color-scheme: dark)').matches;
  document.documentElement.dataset.theme = theme === 'night' || (theme === 'system' && dark) ? 'night' : 'light';
}
