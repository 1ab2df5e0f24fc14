import { useQuery } from '@tanstack/react-query';
import { api } from '../../api/client.ts';
import type { SeriesDto } from './Sensors.tsx';
import type { WorkDto } from './works.ts';

/** What the estate itself does not hold about a host: what changed, who did what, what was built on it. */
export interface PageDto {
  acts: { act: string; label: string; refused?: string }[];
  facts: { at: string; source: string; changes: { what: string; text: string; heavy: boolean }[] }[];
  history: { id: number; at: string; who: string; act: string; subject: string; canUndo: boolean }[];
  works: WorkDto[];
  builds: { charter: string; number: number; state: string; at: string; role: string }[];
  samples: SeriesDto[];
}
export const usePage = (name: string) =>
  useQuery({
    queryKey: ['host', name],
    queryFn: () => api<PageDto>('GET', `/api/hosts/${name}`),
    placeholderData: (old) => old,
    refetchInterval: 30_000,
  });
