import { useInfiniteQuery, useQuery, keepPreviousData } from '@tanstack/react-query';
import type {
  Account as AccountDto,
  Builds,
  BuildTimes,
  Drifts,
  Made,
  StandingProof,
  ChangeDue,
  EtcdBackups,
  CharterAnswer as CharterDto,
  KeyringEntry as KeyDto,
  KitFile as KitFileDto,
  KitLines,
  KitSince,
  Levels as LevelsDto,
  LogLine,
  Me,
  NoticeState,
  Past as PastDto,
  Prerequisites,
  ProposalRow,
  ProvingGround,
  RecordedAct as ActDto,
  Session as SessionDto,
  Shipment as ShipmentDto,
  Snapshot,
  SnapshotDifference,
  WaitingRun,
  WholeBuild as BuildWhole,
  WholeProposal,
} from '@praesidor/contract';
import { applyDifference } from '@praesidor/core/model';
import { arrived, changed } from '../workers/compute.ts';
import { api, ask, setCsrf } from './client.ts';

/** What the API answers has its types from its schemas. */
export type {
  Account as AccountDto,
  BuildSummary,
  Case as CaseDto,
  CharterAnswer as CharterDto,
  KeyringEntry as KeyDto,
  KitFile as KitFileDto,
  Levels as LevelsDto,
  Me,
  Past as PastDto,
  ProofLine,
  RecordedAct as ActDto,
  Session as SessionDto,
  Shipment as ShipmentDto,
  Snapshot,
  WholeBuild as BuildWhole,
} from '@praesidor/contract';
/** The proving ground, where there is one. */
export type ProvingDto = Extract<ProvingGround, { here: true }>;

export const useMe = () =>
  useQuery({
    queryKey: ['me'],
    queryFn: async () => {
      const me = await api<Me>('GET', '/api/me');
      setCsrf(me.csrf);
      return me;
    },
    staleTime: Number.POSITIVE_INFINITY,
  });
/** The estate as it stands: read whole once, and then by what has changed. What did not change is the same object in both. */
export const useSnapshot = () =>
  useQuery({
    queryKey: ['estate'],
    queryFn: async ({ client }) => {
      const before = client.getQueryData<Snapshot>(['estate']);
      const since = before ? `&since=${encodeURIComponent(before.state)}` : '';
      const { json, text } = await ask<Snapshot | SnapshotDifference>('GET', `/api/estate?for=page${since}`);
      if ('difference' in json && before?.state === json.since) return renewed(before, json);
      arrived(json.state, text);
      return json as Snapshot;
    },
    // Objects that did not change are kept already: comparing forty megabytes field by field would find no more.
    structuralSharing: false,
    placeholderData: (old) => old,
  });
function renewed(before: Snapshot, d: SnapshotDifference): Snapshot {
  changed(d);
  const versions = { ...before.versions, ...d.versions };
  for (const [k, v] of Object.entries(d.versions)) if (!v) delete versions[k];
  return { estate: applyDifference(before.estate, d.difference), revision: d.revision, state: d.state, versions };
}
export const useShipments = () =>
  useQuery({
    queryKey: ['shipments'],
    queryFn: async () => (await api<{ shipments: ShipmentDto[] }>('GET', '/api/shipments')).shipments,
  });
const buildsKept = { queryKey: ['builds'], queryFn: () => api<Builds>('GET', '/api/builds') };
export const useBuilds = () => useQuery({ ...buildsKept, select: (all) => all.builds });
/** How many ended within what was said at their begin. */
export const useSaid = () => useQuery({ ...buildsKept, select: (all) => all.said });
export const useBuild = (charter: string, number: string) =>
  useQuery({
    queryKey: ['build', charter, number],
    queryFn: () => api<BuildWhole>('GET', `/api/builds/${charter}/${number}`),
    placeholderData: (old) => old,
  });
/** The log of a step; with a text to find, the lines of all steps that have it. */
export const useBuildLog = (charter: string, number: string, step: string, text: string) =>
  useQuery({
    queryKey: ['log', charter, number, text ? '' : step, text],
    queryFn: async () => {
      const asked = text ? `text=${encodeURIComponent(text)}` : `step=${encodeURIComponent(step)}`;
      return (await api<{ lines: LogLine[] }>('GET', `/api/builds/${charter}/${number}/log?${asked}`)).lines;
    },
    placeholderData: (old) => old,
  });
/** Sets of changes that are kept as drafts. */
export const useProposals = () =>
  useQuery({
    queryKey: ['proposals'],
    queryFn: async () => (await api<{ proposals: ProposalRow[] }>('GET', '/api/proposals')).proposals,
  });
/** One with its changes in what stands now: it follows from the estate, and is renewed with it. */
export const useProposal = (id: string) =>
  useQuery({
    queryKey: ['estate', 'proposal', id],
    queryFn: () => api<WholeProposal>('GET', `/api/proposals/${id}`),
    placeholderData: (old) => old,
    retry: false,
  });
/** Work that waits until a second person has approved it. */
export const useApprovals = () =>
  useQuery({
    queryKey: ['approvals'],
    queryFn: async () => (await api<{ runs: WaitingRun[] }>('GET', '/api/approvals')).runs,
  });
/** Everything that was made for a cluster. It follows from the estate, and is renewed with it. */
export const useMade = (name: string) =>
  useQuery({
    queryKey: ['estate', 'made', name],
    queryFn: async () => (await api<Made>('GET', `/api/charters/${name}/made`)).made,
  });
/** How long each kind of step took, build by build. */
export const useBuildTimes = () =>
  useQuery({ queryKey: ['builds', 'times'], queryFn: async () => (await api<BuildTimes>('GET', '/api/builds/times')).builds });
/** What is measured of a cluster that stands, again and again. */
export const useProof = (name: string) =>
  useQuery({ queryKey: ['proof', name], queryFn: () => api<StandingProof>('GET', `/api/charters/${name}/proof`) });
/** Lines that do not hold, of all clusters, and when each was measured. */
export const useDrifts = () => useQuery({ queryKey: ['proofs'], queryFn: () => api<Drifts>('GET', '/api/proofs') });
/** What leads from what stands of a cluster to its plan. It follows from the estate, and is renewed with it. */
export const useChange = (name: string, kind?: string | null, on = true) =>
  useQuery({
    queryKey: ['estate', 'change', name, kind ?? ''],
    enabled: on,
    queryFn: async () => (await api<ChangeDue>('GET', `/api/charters/${name}/change${kind ? `?kind=${kind}` : ''}`)).due,
    placeholderData: (old) => old,
  });
export const useEtcdBackups = (name: string) =>
  useQuery({
    queryKey: ['builds', 'etcd-backups', name],
    queryFn: async () => (await api<EtcdBackups>('GET', `/api/charters/${name}/etcd-backups`)).backups,
  });
export const useCharter = (name: string) =>
  useQuery({ queryKey: ['charter', name], queryFn: () => api<CharterDto>('GET', `/api/charters/${name}`) });
export const useFiles = (name: string, on: boolean) =>
  useQuery({
    queryKey: ['files', name],
    enabled: on,
    queryFn: async () => (await api<{ files: KitFileDto[] }>('GET', `/api/charters/${name}/files`)).files,
  });
export const usePrerequisites = (name: string) =>
  useQuery({
    queryKey: ['prerequisites', name],
    queryFn: async () => (await api<Prerequisites>('GET', `/api/charters/${name}/prerequisites`)).prerequisites,
  });
/** What the kit has otherwise than the one that the last build wrote. */
export const useKitSince = (name: string) =>
  useQuery({
    queryKey: ['files', name, 'since'],
    queryFn: () => api<KitSince>('GET', `/api/charters/${name}/files/since-build`),
  });
/** Which lines of the kit come from which field: of one owner's files, or of one field in all of them. */
export const useKitLines = (name: string, of: { of: string } | { field: string } | undefined) =>
  useQuery({
    queryKey: ['files', name, 'lines', JSON.stringify(of)],
    enabled: of !== undefined,
    staleTime: 60_000,
    queryFn: () =>
      api<KitLines>('GET', `/api/charters/${name}/files/lines?${new URLSearchParams(of as Record<string, string>).toString()}`),
  });
/** Who is told of what; a warden sees it. */
/** @param closely how much waits is asked for again and again: that something fails, or works again, is told by an event */
export const useNotices = (on: boolean, closely = false) =>
  useQuery({
    queryKey: ['notices'],
    enabled: on,
    ...(closely ? { refetchInterval: 5000 } : {}),
    queryFn: async () => (await api<{ notices: NoticeState[] }>('GET', '/api/notices')).notices,
  });
export const useKeyring = () =>
  useQuery({
    queryKey: ['keyring'],
    queryFn: async () => (await api<{ entries: KeyDto[] }>('GET', '/api/keyring')).entries,
  });
export const useAccounts = (on: boolean) =>
  useQuery({
    queryKey: ['accounts'],
    enabled: on,
    queryFn: async () => (await api<{ accounts: AccountDto[] }>('GET', '/api/accounts')).accounts,
  });
/** Browsers in which somebody is signed in; `undefined` is oneself. */
export const useSessions = (login: string | undefined) =>
  useQuery({
    queryKey: ['sessions', login],
    queryFn: async () =>
      (await api<{ sessions: SessionDto[] }>('GET', login ? `/api/accounts/${login}/sessions` : '/api/me/sessions')).sessions,
  });
export const useProving = (on = true) =>
  useQuery({
    queryKey: ['proving'],
    enabled: on,
    queryFn: () => api<ProvingGround>('GET', '/api/proving'),
    refetchInterval: 2000,
    retry: false,
  });
export const actsPage = 100;
/** The record, newest first, a page at a time. */
/** What is looked for in the record; what is empty is not asked. */
export type ActsWanted = Partial<Record<'who' | 'token' | 'text' | 'from' | 'to', string>>;
export const useActs = (wanted: ActsWanted = {}) =>
  useInfiniteQuery({
    queryKey: ['acts', wanted],
    initialPageParam: 0,
    placeholderData: keepPreviousData,
    queryFn: async ({ pageParam }): Promise<ActDto[]> => {
      const asked = new URLSearchParams(Object.entries(wanted).filter(([, v]) => v));
      asked.set('limit', String(actsPage));
      if (pageParam) asked.set('before', String(pageParam));
      return (await api<{ acts: ActDto[] }>('GET', `/api/acts?${asked}`)).acts;
    },
    getNextPageParam: (last) => (last.length < actsPage ? undefined : last.at(-1)?.id),
  });
export const useLevels = (network: string | undefined) =>
  useQuery({
    queryKey: ['estate', 'levels', network],
    enabled: network !== undefined,
    queryFn: () => api<LevelsDto>('GET', `/api/networks/${network}/levels`),
    placeholderData: (old) => old,
    staleTime: 60_000,
  });
export const useHistory = (address: string | undefined) =>
  useQuery({
    queryKey: ['estate', 'history', address],
    enabled: address !== undefined,
    queryFn: async () => (await api<{ history: PastDto[] }>('GET', `/api/addresses/history?address=${address}`)).history,
  });
