import { create } from 'zustand';
import { persist } from 'zustand/middleware';
import type { Draft } from './draft.ts';

/** Text that somebody is declaring, with what stood when they began. */
export interface TextDraft {
  text: string;
  /** Documents as they stood, by kind and key; null: none of that name. */
  base: Record<string, object | null>;
  since: string;
}
interface Kept {
  /** By login and document. */
  fields: Record<string, Draft>;
  /** By login and what it was begun as. */
  texts: Record<string, TextDraft>;
}

/**
 * What people have typed and not saved, kept in this browser until it is saved or discarded: over reload, Back and a
 * change of view, and in all tabs alike. Keyed by login, so that nobody goes on with another's.
 */
export const useDrafts = create<
  Kept & {
    setFields: (key: string, draft: Draft | undefined) => void;
    setText: (key: string, draft: TextDraft | undefined) => void;
  }
>()(
  persist(
    (set) => ({
      fields: {},
      texts: {},
      setFields: (key, draft) => set((s) => ({ fields: withKey(s.fields, key, draft) })),
      setText: (key, draft) => set((s) => ({ texts: withKey(s.texts, key, draft) })),
    }),
    { name: 'drafts', partialize: ({ fields, texts }): Kept => ({ fields, texts }) },
  ),
);
if (typeof window !== 'undefined')
  window.addEventListener('storage', (e) => {
    if (e.key === 'drafts') void useDrafts.persist.rehydrate();
  });

function withKey<T>(all: Record<string, T>, key: string, one: T | undefined): Record<string, T> {
  const { [key]: _, ...others } = all;
  return one === undefined ? others : { ...others, [key]: one };
}
