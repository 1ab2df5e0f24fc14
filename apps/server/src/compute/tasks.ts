import { Checker, type Report } from '@praesidor/core/checks';
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
/** An estate, whole or as what has changed since the last one that was told. */
interface Told {
  whole?: Estate;
  difference?: EstateDifference;
}
function checked({ whole, difference }: Told): Report {
  if (whole) standing = whole;
  else if (difference && standing) standing = applyDifference(standing, difference);
  else throw new Error('no estate was told');
  return checker.run(standing);
}

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
  stopsOf: ({ charter, ...told }: Told & { charter: string }) =>
    checked(told).findings.filter((f) => f.severity === 'stop' && f.charters.includes(charter)),
  /** A finding by its identifier, also one that somebody lives with. */
  findingOf: ({ id, ...told }: Told & { id: string }) => {
    const { findings, accepted } = checked(told);
    return [...findings, ...accepted].find((f) => f.id === id);
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
