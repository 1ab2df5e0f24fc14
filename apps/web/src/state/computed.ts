import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { Finding } from '@praesidor/core/checks';
import type { Built, Move } from '@praesidor/core/moves';
import type { Charter } from '@praesidor/core/model';
import { type Snapshot, useBuilds, useDrifts, useNotices, useSnapshot } from '../api/queries.ts';
import { useMay } from './may.ts';
import { computerWith } from '../workers/compute.ts';

export interface ReportDto {
  findings: Finding[];
  /** Those that somebody lives with. */
  accepted: Finding[];
  checks: number;
  passed: number;
  ms: number;
  moves: Move[];
}

/** Findings and next moves of the estate as it is on the server. */
export function useReport() {
  const snapshot = useSnapshot();
  const builds = useBuilds();
  const drifts = useDrifts();
  const notices = useNotices(useMay().may('notices.manage'));
  const untold = (notices.data ?? []).flatMap((n) => (n.failing ? [{ name: n.doc.name, why: n.failing }] : []));
  const built: Record<string, Built> = {};
  for (const b of builds.data ?? []) {
    if (built[b.charter]) continue;
    const off = drifts.data?.drifts.filter((d) => d.charter === b.charter) ?? [];
    built[b.charter] = {
      number: b.number,
      state: b.state,
      ...(b.broke ? { failed: b.broke } : {}),
      ...(off[0]
        ? { drift: { what: `${off[0].what}, planned ${off[0].planned}, found ${off[0].found}`, count: off.length } }
        : {}),
    };
  }
  return useQuery({
    queryKey: ['report', snapshot.dataUpdatedAt, JSON.stringify([built, untold])],
    enabled: snapshot.data !== undefined,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 1000,
    queryFn: async () => (await (await computerWith(snapshot.data as Snapshot)).report({ built, untold })) as ReportDto,
  });
}

/** What follows from a charter as it is drafted. */
export function useDraftReport(draft: Charter | undefined) {
  const snapshot = useSnapshot();
  return useQuery({
    queryKey: ['draft', snapshot.dataUpdatedAt, JSON.stringify(draft)],
    enabled: snapshot.data !== undefined && draft !== undefined,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 1000,
    queryFn: async () => (await computerWith(snapshot.data as Snapshot)).charter(draft as Charter),
  });
}
