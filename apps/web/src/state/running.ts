import type { SweepProgress } from '@praesidor/contract';
import { create } from 'zustand';

interface Sweep extends SweepProgress {
  site: string;
}
/** Work under way that only the browser's event stream tells of. */
export const useRunning = create<{
  sweeps: Record<string, Sweep>;
  sweep: (site: string, p: SweepProgress) => void;
}>()((set) => ({
  sweeps: {},
  sweep: (site, p) => set((s) => ({ sweeps: { ...s.sweeps, [site]: { site, ...p } } })),
}));
