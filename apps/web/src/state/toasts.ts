import { create } from 'zustand';

export interface Word {
  id: number;
  text: string;
  kind: 'said' | 'refused';
  remedy?: string;
  undo?: number;
}
/** What has just happened, said once at the foot of the page, with the way back where there is one. */
export const useWords = create<{ words: Word[]; say: (w: Omit<Word, 'id'>) => void; drop: (id: number) => void }>()((set) => ({
  words: [],
  say: (w) => set((s) => ({ words: [...s.words.slice(-2), { ...w, id: Date.now() + Math.random() }] })),
  drop: (id) => set((s) => ({ words: s.words.filter((w) => w.id !== id) })),
}));
