import { check } from '@praesidor/core/checks';
import { type HostColumns, readHosts } from '@praesidor/core/hosts';
import { readCsv } from '@praesidor/core/ledger';
import {
  type Doc,
  type Estate,
  type Host,
  type Network,
  readDocuments,
  type Reservation,
  type Site,
  writeDocument,
} from '@praesidor/core/model';

/** What is computed away from the event loop, by name: pure functions of what is sent along. A new one is a line. */
export const tasks = {
  readCsv: ({
    text,
    networks,
    standing,
    domains,
  }: {
    text: string;
    networks: Network[];
    standing: Reservation[];
    domains: Record<string, string>;
  }) => readCsv(text, networks, standing, (n) => domains[n.site] ?? ''),
  readDocuments: ({ text, file }: { text: string; file: string }) => readDocuments(text, file),
  writeDocuments: ({ docs }: { docs: Doc[] }) => docs.map(writeDocument).join('---\n'),
  /** What keeps a charter from being built. */
  stopsOf: ({ estate, charter }: { estate: Estate; charter: string }) =>
    check(estate).findings.filter((f) => f.severity === 'stop' && f.charters.includes(charter)),
  readHosts: ({
    text,
    sites,
    hosts,
    now,
    site,
    columns,
  }: {
    text: string;
    sites: Site[];
    hosts: Host[];
    now: string;
    site?: string | undefined;
    columns: HostColumns;
  }) => readHosts(text, sites, hosts, now, site, columns),
};
export type Tasks = typeof tasks;
export type TaskName = keyof Tasks;
