import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import type { Role } from '@praesidor/core/access';
import type { Estate } from '@praesidor/core/model';
import type { Plan } from '@praesidor/core/charter';
import type { BuildStatus, Step } from '@praesidor/core/schedule';
import { arrived } from '../workers/compute.ts';
import { api, ask, setCsrf } from './client.ts';

export interface Me {
  login: string;
  name: string;
  role: Role;
  csrf: string;
}
export interface Snapshot {
  estate: Estate;
  revision: number;
  versions: Record<string, number>;
}
export interface ShipmentDto {
  id: number;
  label: string;
  source: string;
  target: string;
  way: 'case' | 'link' | 'alongside';
  bills: string[];
  state:
    | 'planned'
    | 'queued'
    | 'packing'
    | 'packed'
    | 'landing'
    | 'moving'
    | 'waiting'
    | 'short'
    | 'landed'
    | 'failed'
    | 'stopped';
  phase: string;
  error: string | null;
  bytes: number;
  paper: number;
  movedBytes: number;
  rate: number;
  resumed: number;
  /** Digests of blobs that arrived with other bytes and were sent again. */
  wrong: string[];
  startedAt: string | null;
  endedAt: string | null;
  createdAt: string;
  createdBy: string;
  after: string | null;
  resumeAt: string | null;
  caseBytes: number | null;
  cases: CaseDto[];
  /** Why it is not landed before a builder has accepted it; null: it is verified. */
  unverified: string | null;
  acceptedBy: string | null;
}
export interface CaseDto {
  number: number;
  bytes: number;
  state: 'planned' | 'packed' | 'awaited' | 'waiting' | 'landing' | 'landed' | 'damaged';
  bad: { path: string; why: string }[];
  landedAt: string | null;
}
export interface BuildDto {
  charter: string;
  number: number;
  revision: number;
  createdAt: string;
  createdBy: string;
  steps: Step[];
  status: BuildStatus;
}
export interface ProofLine {
  what: string;
  planned: string;
  found: string;
  good: boolean;
  evidence: string[];
  at: string;
}
export interface BuildWhole extends BuildDto {
  proof: ProofLine[] | null;
  plan: Plan;
}
export interface CharterDto {
  doc: Estate['charters'][number];
  version: number;
  revisions: { revision: number; at: string; by: string; note: string; doc: Estate['charters'][number] }[];
}
export interface KitFileDto {
  path: string;
  content: string;
  from: string[];
  secret: boolean;
  sha256: string;
}
export interface ProvingDto {
  here: boolean;
  speed: number;
  faults: { kind: string; subject: string }[];
  machines: { name: string; hostName: string; bmc: string; power: string; stage: string; pulled: number }[];
  hypervisors?: { name: string; guests: number }[];
  registries: { name: string; host: string }[];
  zones: { name: string; serial: number; records: number }[];
  clusters: { name: string; up: boolean; members: string[] }[];
  kinds: Record<string, { on: string; title: string; text: string }>;
}

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
export const useSnapshot = () =>
  useQuery({
    queryKey: ['estate'],
    queryFn: async () => {
      const { json, text } = await ask<Snapshot>('GET', '/api/estate');
      arrived(json.revision, text);
      return json;
    },
    placeholderData: (old) => old,
  });
export const useShipments = () =>
  useQuery({
    queryKey: ['shipments'],
    queryFn: async () => (await api<{ shipments: ShipmentDto[] }>('GET', '/api/shipments')).shipments,
  });
export const useBuilds = () =>
  useQuery({ queryKey: ['builds'], queryFn: async () => (await api<{ builds: BuildDto[] }>('GET', '/api/builds')).builds });
export const useBuild = (charter: string, number: string) =>
  useQuery({
    queryKey: ['build', charter, number],
    queryFn: () => api<BuildWhole>('GET', `/api/builds/${charter}/${number}`),
    placeholderData: (old) => old,
  });
export const useBuildLog = (charter: string, number: string, step: string | undefined) =>
  useQuery({
    queryKey: ['log', charter, number, step],
    enabled: step !== undefined,
    queryFn: async () =>
      (
        await api<{ lines: { id: number; at: string; level: string; line: string }[] }>(
          'GET',
          `/api/builds/${charter}/${number}/log?step=${encodeURIComponent(step ?? '')}`,
        )
      ).lines,
    placeholderData: (old) => old,
  });
export const useCharter = (name: string) =>
  useQuery({ queryKey: ['charter', name], queryFn: () => api<CharterDto>('GET', `/api/charters/${name}`) });
export const useFiles = (name: string, on: boolean) =>
  useQuery({
    queryKey: ['files', name],
    enabled: on,
    queryFn: async () => (await api<{ files: KitFileDto[] }>('GET', `/api/charters/${name}/files`)).files,
  });
export const useKeyring = () =>
  useQuery({
    queryKey: ['keyring'],
    queryFn: async () => (await api<{ entries: KeyDto[] }>('GET', '/api/keyring')).entries,
  });
export interface KeyDto {
  name: string;
  use: string;
  user: string;
  places: string[];
  createdAt: string;
  createdBy: string;
}
export interface AccountDto {
  login: string;
  name: string;
  role: Role;
  disabled: boolean;
  changedAt: string;
  sessions: number;
  lastSeen: string | null;
}
export interface SessionDto {
  id: string;
  createdAt: string;
  seenAt: string;
  expiresAt: string;
  address: string;
  agent: string;
  own: boolean;
}
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
    queryFn: () => api<ProvingDto>('GET', '/api/proving'),
    refetchInterval: 2000,
    retry: false,
  });
export interface ActDto {
  id: number;
  at: string;
  who: string;
  act: string;
  subject: string;
  canUndo: boolean;
}
export const actsPage = 100;
/** The record, newest first, a page at a time. */
export const useActs = () =>
  useInfiniteQuery({
    queryKey: ['acts'],
    initialPageParam: 0,
    queryFn: async ({ pageParam }) =>
      (await api<{ acts: ActDto[] }>('GET', `/api/acts?limit=${actsPage}${pageParam ? `&before=${pageParam}` : ''}`)).acts,
    getNextPageParam: (last) => (last.length < actsPage ? undefined : last.at(-1)?.id),
  });
export interface LevelsDto {
  levels: { at: string; taken: number }[];
  room: number;
  forecast: { from: string; to: string; perDay: number; full?: string; earliest?: string; latest?: string } | null;
}
export const useLevels = (network: string | undefined) =>
  useQuery({
    queryKey: ['estate', 'levels', network],
    enabled: network !== undefined,
    queryFn: () => api<LevelsDto>('GET', `/api/networks/${network}/levels`),
    placeholderData: (old) => old,
    staleTime: 60_000,
  });
export interface PastDto {
  network: string;
  address: string;
  since: string;
  until: string | null;
  by: string;
  doc: Estate['reservations'][number];
}
export const useHistory = (address: string | undefined) =>
  useQuery({
    queryKey: ['estate', 'history', address],
    enabled: address !== undefined,
    queryFn: async () => (await api<{ history: PastDto[] }>('GET', `/api/addresses/history?address=${address}`)).history,
  });
