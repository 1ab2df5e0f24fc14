import { Checker } from '@praesidor/core/checks';
import { type HostColumns, readHosts } from '@praesidor/core/hosts';
import { readCsv } from '@praesidor/core/ledger';
import {
  applyDifference,
  type Doc,
  type Estate,
  type EstateDifference,
  type Host,
  type Network,
  readDocuments,
  type Reservation,
  type Site,
  writeDocument,
} from '@praesidor/core/model';

/** The estate that was told last, and what was found in it. */
let standing: Estate | undefined;
const checker = new Checker();

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
  /** What keeps a charter from being built, in an estate that is told whole or as what has changed since the last one. */
  stopsOf: ({ whole, difference, charter }: { whole?: Estate; difference?: EstateDifference; charter: string }) => {
    if (whole) standing = whole;
    else if (difference && standing) standing = applyDifference(standing, difference);
    else throw new Error('no estate was told');
    return checker.run(standing).findings.filter((f) => f.severity === 'stop' && f.charters.includes(charter));
  },
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
