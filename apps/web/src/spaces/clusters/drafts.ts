import type { Charter } from '@praesidor/core/model';
import { create } from 'zustand';

/** Charters as they are being edited: drafts until saved, kept while one looks elsewhere. */
export const useDrafts = create<{
  drafts: Record<string, Charter>;
  edit: (name: string, doc: Charter) => void;
  drop: (name: string) => void;
}>()((set) => ({
  drafts: {},
  edit: (name, doc) => set((s) => ({ drafts: { ...s.drafts, [name]: doc } })),
  drop: (name) =>
    set((s) => {
      const { [name]: _, ...drafts } = s.drafts;
      return { drafts };
    }),
}));
