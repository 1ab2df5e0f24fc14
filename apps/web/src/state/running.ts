import { create } from 'zustand';

interface Sweep {
  site: string;
  done: number;
  of: number;
  found: number;
}
/** Work under way that only the browser's event stream tells of. */
export const useRunning = create<{
  sweeps: Record<string, Sweep>;
  sweep: (site: string, p: { done: number; of: number; found: number }) => void;
}>()((set) => ({
  sweeps: {},
  sweep: (site, p) => set((s) => ({ sweeps: { ...s.sweeps, [site]: { site, ...p } } })),
}));
