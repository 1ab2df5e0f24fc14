import { type Plan, resolve } from '@praesidor/core/charter';
import { Checker, type Report } from '@praesidor/core/checks';
import { bootKit, traceKit } from '@praesidor/core/files';
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
import { openContext } from '../areas/clusters/open-kit.ts';

/** The estate that was told last, and what was found in it. */
let standing: Estate | undefined;
const checker = new Checker();
/** An estate, whole or as what has changed since the last one that was told. */
interface Told {
  whole?: Estate;
  difference?: EstateDifference;
}
function tell({ whole, difference }: Told): Estate {
  if (whole) standing = whole;
  else if (difference && standing) standing = applyDifference(standing, difference);
  else throw new Error('no estate was told');
  return standing;
}
const checked = (told: Told): Report => checker.run(tell(told));

function planned(told: Told, name: string): { plan: Plan; estate: Estate } {
  const estate = tell(told);
  const charter = estate.charters.find((c) => c.name === name);
  if (!charter) throw new Error(`there is no charter ${name}`);
  return { plan: resolve(charter, estate), estate };
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
  /** Keeps an estate for what is asked next. */
  keep: (told: Told) => void tell(told),
  /** What keeps a charter from being built, in an estate that is told whole or as what has changed since the last one. */
  stopsOf: ({ charter, ...told }: Told & { charter: string }) =>
    checked(told).findings.filter((f) => f.severity === 'stop' && f.charters.includes(charter)),
  /** A finding by its identifier, also one that somebody lives with. */
  findingOf: ({ id, ...told }: Told & { id: string }) => {
    const { findings, accepted } = checked(told);
    return [...findings, ...accepted].find((f) => f.id === id);
  },
  /** The kit of a charter, secrets named and not shown. */
  kitOf: ({ charter, server, ...told }: Told & { charter: string; server: string }) => {
    const { plan, estate } = planned(told, charter);
    return bootKit(openContext(plan, estate, server));
  },
  /** Which lines of it come from which field: of one host or of the cluster, or of one field in all files. */
  traceOf: ({
    charter,
    server,
    host,
    field,
    ...told
  }: Told & { charter: string; server: string; host?: string; field?: string }) => {
    const { plan, estate } = planned(told, charter);
    return traceKit(plan.charter, estate, (p, e, of) => bootKit(openContext(p, e, server), of), {
      ...(host ? { host } : {}),
      ...(field ? { field } : {}),
    });
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
