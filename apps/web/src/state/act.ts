import { type QueryKey, useMutation, useQueryClient } from '@tanstack/react-query';
import { api, ApiError } from '../api/client.ts';
import { useWords, type Word } from './toasts.ts';

/** What is said of an act that was refused, with what to do about it. */
export const refusedWord = (e: Error): Omit<Word, 'id'> => ({
  kind: 'refused',
  text: e.message,
  ...(e instanceof ApiError && e.remedy ? { remedy: e.remedy } : {}),
});

/** An act on the server: what it said is shown, refusals with their remedy, and what it touched is renewed. */
export function useAct<T extends { act?: number } | object, V = void>(
  perform: (v: V) => Promise<T>,
  done: string | ((t: T, v: V) => string | undefined),
  renew: QueryKey[] = [['estate']],
) {
  const client = useQueryClient();
  const say = useWords((s) => s.say);
  return useMutation<T, Error, V>({
    mutationFn: perform,
    onSuccess: async (t, v) => {
      await Promise.all(renew.map((queryKey) => client.invalidateQueries({ queryKey })));
      const text = typeof done === 'string' ? done : done(t, v);
      if (text) say({ kind: 'said', text, ...('act' in t && typeof t.act === 'number' ? { undo: t.act } : {}) });
    },
    onError: (e) => say(refusedWord(e)),
  });
}

export const useUndo = () =>
  useAct((id: number) => api<{ act: number }>('POST', `/api/acts/${id}/undo`), 'Undone.', [
    ['estate'],
    ['charter'],
    ['acts'],
    ['files'],
  ]);
