import { type Beside, bookHtml, bookOf } from '@praesidor/core/book';
import { onItsWay } from '@praesidor/core/changes';
import { type Plan, planOf, resolve, sheetOf } from '@praesidor/core/charter';
import { Checker, type Finding, type Report } from '@praesidor/core/checks';
import { bootKit, traceKit } from '@praesidor/core/files';
import { type Asked as SitesAsked, readSites } from '@praesidor/core/sites';
import { type HostColumns, readHosts } from '@praesidor/core/hosts';
import { readCsv } from '@praesidor/core/ledger';
import {
  applyDifference,
  applyEdits,
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
import { type HoldResult, withChanges, wouldHold } from '../areas/clusters/would-hold.ts';
import { Refusal } from '../refusal.ts';
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
/** What somebody would begin. */
export interface ChangeAsked {
  charter: string;
  server: string;
  /** Since when what is held for it is held. */
  since: string;
  /** What is not held yet is taken to be held. */
  holds: boolean;
  /** It ends the cluster: no finding keeps it. */
  ends: boolean;
}
const stopsIn = (estate: Estate, charter: string): Finding[] =>
  checker.run(estate).findings.filter((f) => f.severity === 'stop' && f.charters.includes(charter));
/** The plan of a charter that stands in an estate, as far as it is kept by what is checked. */
function keptPlan(estate: Estate, name: string): Plan {
  checker.view.take(estate, { all: true });
  const plan = planOf(checker.view, name);
  return { ...plan, follows: sheetOf(plan) };
}
const nothingHeld = (): HoldResult => ({ hosts: [], addresses: [], released: [], changes: [] });

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
  stopsOf: ({ charter, ...told }: Told & { charter: string }) => stopsIn(tell(told), charter),
  changeOf: ({ charter: name, server, since, holds, ends, ...told }: Told & ChangeAsked) => {
    const estate = tell(told);
    try {
      const held = holds ? wouldHold(estate, name, since, keptPlan(estate, name)) : nothingHeld();
      const whole = withChanges(estate, held.changes);
      const { estate: next, charter, further } = onItsWay(name, whole);
      if (!charter) throw new Error(`there is no charter ${name}`);
      const stops = ends ? [] : stopsIn(next, name);
      const plan = keptPlan(next, name);
      // Nothing is begun of a way that cannot be gone to its end.
      if (!stops.length && further.length && !ends) stops.push(...stopsIn(whole, name));
      return { held, stops, plan, kit: bootKit(openContext(plan, next, server)) };
    } catch (e) {
      if (!(e instanceof Refusal)) throw e;
      const { code, message, more } = e;
      return { held: nothingHeld(), stops: [], plan: undefined, kit: [], refused: { code, message, more } };
    }
  },
  /** What documents would change in what is found, if they were declared: what comes, and what goes. */
  consequencesOf: ({ docs, ...told }: Told & { docs: Doc[] }) => {
    const estate = tell(told);
    const before = checker.run(estate).findings;
    const after = checker.run(
      applyEdits(
        estate,
        docs.map((doc) => ({ op: 'put', doc })),
      ),
    ).findings;
    const ids = (list: readonly Finding[]) => new Set(list.map((f) => f.id));
    const [was, is] = [ids(before), ids(after)];
    return { come: after.filter((f) => !was.has(f.id)), go: before.filter((f) => !is.has(f.id)) };
  },
  /** The book of a site, as a page. */
  bookOf: ({ site, beside, ...told }: Told & { site: string; beside: Omit<Beside, 'findings'> }) => {
    const { findings } = checked(told);
    const book = bookOf(checker.view, site, { ...beside, findings });
    return book ? bookHtml(book) : '';
  },
  /** What a table of sites would make. */
  readSites: ({ asked, ...told }: Told & { asked: SitesAsked }) => {
    const estate = tell(told);
    checker.view.take(estate, { all: true });
    return readSites(checker.view, asked);
  },
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
