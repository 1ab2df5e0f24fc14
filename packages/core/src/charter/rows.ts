import type { Charter, Host } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import { completeFacts, type Completion, type Fact, factFilter, type Filter } from '../words/filter.ts';
import { usableCores, usableMemory } from './arithmetic.ts';
import { workerCount } from './pools.ts';

/** What a cluster is: nothing but a charter, hosts that are held for it, one that is being changed or did not come to be, one that serves. */
export const clusterStates = ['declared', 'held', 'building', 'failed', 'serving'] as const;
export type ClusterState = (typeof clusterStates)[number];
/** What was measured of a cluster last: when, and how many of its lines hold. */
export interface Proved {
  charter: string;
  /** ISO 8601. */
  at: string;
  holds: number;
  of: number;
}
/** A run that a cluster had last. */
interface LastRun {
  charter: string;
  /** It goes on. */
  underWay: boolean;
  /** It ended without what it was to make. */
  failed: boolean;
}
/** A cluster in one line. */
export interface ClusterRow {
  charter: Charter;
  state: ClusterState;
  /** Releases that its hosts run, the oldest first; more than one in the middle of an upgrade. */
  runs: readonly string[];
  /** Hosts that are held for it, and that its charter asks for. */
  hosts: number;
  planned: number;
  /** What pods can use on its workers; on all of its hosts where it has none. */
  cores: number;
  memoryGiB: number;
  /** When the first of its certificates ends, ISO 8601, and in how many days. */
  ends: string | undefined;
  days: number | undefined;
  /** How many findings stop it, and how many are to be minded. */
  stops: number;
  minds: number;
  proved: Proved | undefined;
}

/**
 * All clusters with what is known of each: from the plan, from what is found in it, and from what was measured.
 * @param findings of any cluster; accepted ones do not count
 */
export function clusterRows(
  estate: Pick<Estate, 'charters' | 'hosts' | 'now'>,
  known: {
    findings: readonly { severity: string; charters: readonly string[] }[];
    proved: readonly Proved[];
    /** The newest of a cluster first. */
    runs: readonly LastRun[];
  },
): ClusterRow[] {
  const hosts = new Map<string, Host[]>();
  for (const h of estate.hosts) {
    if (!h.held) continue;
    const list = hosts.get(h.held.charter);
    if (list) list.push(h);
    else hosts.set(h.held.charter, [h]);
  }
  const counted = { stop: new Map<string, number>(), mind: new Map<string, number>() };
  for (const f of known.findings)
    if (f.severity === 'stop' || f.severity === 'mind')
      for (const c of f.charters) counted[f.severity].set(c, (counted[f.severity].get(c) ?? 0) + 1);
  const proved = new Map(known.proved.map((p) => [p.charter, p]));
  const runs = new Map<string, LastRun>();
  for (const r of known.runs) if (!runs.has(r.charter)) runs.set(r.charter, r);
  const now = Date.parse(estate.now);
  return estate.charters.map((charter) => {
    const mine = hosts.get(charter.name) ?? [];
    const serving = mine.filter((h) => h.state === 'serving');
    const run = runs.get(charter.name);
    const workers = mine.filter((h) => h.held?.role === 'worker');
    const used = (workers.length ? workers : mine).flatMap((h) => h.facts ?? []);
    const ends = serving.flatMap((h) => h.held?.certificates ?? []).sort()[0];
    return {
      charter,
      state: run?.underWay
        ? 'building'
        : serving.length
          ? 'serving'
          : run?.failed && mine.length
            ? 'failed'
            : mine.length
              ? 'held'
              : 'declared',
      runs: [...new Set(serving.flatMap((h) => h.held?.release ?? []))].sort((a, b) =>
        a.localeCompare(b, 'en', { numeric: true }),
      ),
      hosts: mine.length,
      planned: charter.controlPlane.count + workerCount(charter),
      cores: Math.round(used.reduce((n, f) => n + usableCores(f.cores), 0)),
      memoryGiB: Math.round(used.reduce((n, f) => n + usableMemory(f.memoryGiB), 0)),
      ends,
      days: ends === undefined ? undefined : Math.floor((Date.parse(ends) - now) / 86_400_000),
      stops: counted.stop.get(charter.name) ?? 0,
      minds: counted.mind.get(charter.name) ?? 0,
      // What was measured of one that was taken down says nothing of it.
      proved: serving.length ? proved.get(charter.name) : undefined,
    };
  });
}

/** Every fact of a cluster that can be asked. A new one is a line here, and completion knows it. */
export const clusterFacts: Readonly<Record<string, Fact<ClusterRow>>> = {
  name: { about: 'its name', text: (r) => r.charter.name },
  site: { about: 'site', text: (r) => r.charter.site },
  team: { about: 'team', text: (r) => r.charter.team ?? 'none' },
  state: { about: 'state', text: (r) => r.state, values: clusterStates },
  release: { about: 'release of its charter', text: (r) => r.charter.release },
  runs: { about: 'release that its hosts run', text: (r) => r.runs },
  mirror: { about: 'mirror', text: (r) => r.charter.mirror },
  arch: { about: 'architecture', text: (r) => r.charter.arch },
  template: { about: 'template it came from', text: (r) => r.charter.template?.name },
  hosts: { about: 'hosts that are held for it', number: (r) => r.hosts },
  cores: { about: 'cores that pods can use', number: (r) => r.cores },
  memory: { about: 'memory that pods can use, GiB', units: { '': 1, gib: 1, tib: 1024 }, number: (r) => r.memoryGiB },
  certificates: { about: 'days until the first ends', units: { '': 1, d: 1 }, number: (r) => r.days },
  stops: { about: 'findings that stop it', number: (r) => r.stops },
  minds: { about: 'findings to mind', number: (r) => r.minds },
  proof: {
    about: 'holds, fails or none',
    text: (r) => (r.proved ? (r.proved.holds === r.proved.of ? 'holds' : 'fails') : 'none'),
    values: ['holds', 'fails', 'none'],
  },
};
const names = ({ charter: c }: ClusterRow) => `${c.name} ${c.purpose ?? ''} ${c.owner ?? ''}`.toLowerCase();
/** Reads a filter of clusters; a plain word is looked for in name, purpose and owner. */
export const clusterFilter = (text: string): Filter<ClusterRow> => factFilter(text, clusterFacts, names);
/** What could stand at the cursor. At most twelve. */
export const completeCluster = (text: string, cursor: number, rows: readonly ClusterRow[]): Completion[] =>
  completeFacts(text, cursor, rows, clusterFacts, 'cluster');
