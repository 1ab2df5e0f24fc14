import { useQuery } from '@tanstack/react-query';
import { api } from '../../api/client.ts';
import type { HostPage } from '@praesidor/contract';

/** What the estate itself does not hold about a host: what changed, who did what, what was built on it. */
export const usePage = (name: string) =>
  useQuery({
    queryKey: ['host', name],
    queryFn: () => api<HostPage>('GET', `/api/hosts/${name}`),
    placeholderData: (old) => old,
    refetchInterval: 30_000,
  });
