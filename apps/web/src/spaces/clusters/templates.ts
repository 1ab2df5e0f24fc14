import { useQuery } from '@tanstack/react-query';
import { useSnapshot } from '../../api/queries.ts';
import { computerWith } from '../../workers/compute.ts';

/** A template with its clusters, computed where nobody waits for it; what was known stays until the next is. */
export function useTemplate(name: string, from?: number, to?: number) {
  const snapshot = useSnapshot();
  return useQuery({
    queryKey: ['template', name, from, to, snapshot.data?.state],
    enabled: snapshot.data !== undefined,
    placeholderData: (old) => old,
    gcTime: 1000,
    queryFn: async () => (snapshot.data ? ((await (await computerWith(snapshot.data)).template(name, from, to)) ?? null) : null),
  });
}

/** What a charter begins from: a template, or another charter. */
export type Begins = { template: string } | { like: string };
export type Answers = { question: string; answer: string }[];

/** A charter as answers make it. */
export function useBegun(from: Begins | undefined, answers: Answers, site: string) {
  const snapshot = useSnapshot();
  return useQuery({
    queryKey: ['begun charter', JSON.stringify(from), JSON.stringify(answers), site, snapshot.data?.state],
    enabled: snapshot.data !== undefined && from !== undefined,
    placeholderData: (old) => old,
    gcTime: 1000,
    queryFn: async () =>
      snapshot.data && from ? ((await (await computerWith(snapshot.data)).begin(from, answers, site)) ?? null) : null,
  });
}

/** A value of a field, as it is read. */
export const valueText = (v: unknown): string =>
  v === undefined
    ? 'nothing'
    : Array.isArray(v)
      ? v.map(valueText).join(', ')
      : typeof v === 'object' && v !== null
        ? JSON.stringify(v)
        : String(v);
