import { planOf } from '../charter/resolve.ts';
import type { Charter, Host, Reservation } from '../model/documents.ts';
import type { Edit } from '../model/edit.ts';
import { type AllowanceMeasure, allowanceMeasures, type Team } from '../model/team.ts';
import type { View } from '../reading/index.ts';
import { counted } from '../words/amounts.ts';

/** So much of each measure: hosts, their cores, memory (GiB) and disks (GB), addresses, clusters. */
export type Amounts = Record<AllowanceMeasure, number>;

/** What a charter has, or would have: hosts, and addresses of the ledger. */
export interface Has {
  hosts: readonly Pick<Host, 'facts'>[];
  addresses: number;
}

export const nothing = (): Amounts => ({ hosts: 0, cores: 0, memoryGiB: 0, storageGB: 0, addresses: 0, clusters: 0 });
export const sumOf = (list: readonly Amounts[]): Amounts => {
  const out = nothing();
  for (const a of list) for (const k of allowanceMeasures) out[k] += a[k];
  return out;
};

/** One cluster in the measures of an allowance. A host that was never read counts as a host, with nothing in it. */
export function amountsOf({ hosts, addresses }: Has): Amounts {
  const sum = (of: (f: NonNullable<Host['facts']>) => number) => hosts.reduce((n, h) => n + (h.facts ? of(h.facts) : 0), 0);
  return {
    hosts: hosts.length,
    cores: sum((f) => f.cores),
    memoryGiB: sum((f) => f.memoryGiB),
    storageGB: sum((f) => f.disks.reduce((n, d) => n + d.sizeGB, 0)),
    addresses,
    clusters: hosts.length || addresses ? 1 : 0,
  };
}

/** What is more than an allowance has, each with how much there would be and how much may be. */
export const beyond = (
  allowance: Team['allowance'],
  amounts: Amounts,
): { measure: AllowanceMeasure; is: number; most: number }[] =>
  allowanceMeasures.flatMap((measure) => {
    const most = allowance[measure];
    return most !== undefined && amounts[measure] > most ? [{ measure, is: amounts[measure], most }] : [];
  });

const words: Record<AllowanceMeasure, (n: number) => string> = {
  hosts: (n) => counted(n, 'host'),
  cores: (n) => counted(n, 'core'),
  memoryGiB: (n) => `${n} GiB of memory`,
  storageGB: (n) => `${n} GB of disks`,
  addresses: (n) => counted(n, 'address', 'addresses'),
  clusters: (n) => counted(n, 'cluster'),
};
/** `10 of 9 hosts, 24 of 20 addresses`. */
export const beyondText = (list: readonly { measure: AllowanceMeasure; is: number; most: number }[]): string =>
  list.map(({ measure, is, most }) => `${number(is)} of ${words[measure](most)}`).join(', ');
const number = (n: number) => (Number.isInteger(n) ? String(n) : n.toFixed(1));

/** What a cluster has by now: the hosts that are held for it or serve it, and the addresses that are reserved for it. */
export const standsOf = (view: View, charter: string): Amounts =>
  amountsOf({
    hosts: view.by('Host', 'charter', charter),
    addresses: view.by('Reservation', 'owner', `charter ${charter}`).filter(taken).length,
  });
const taken = (r: Reservation) => !r.resting;

/** What it would have, built as its charter is saved; what it has already and gives back later counts until then. */
export function wouldHaveOf(view: View, c: Charter): Amounts {
  const plan = planOf(view, c.name);
  const own = view.by('Host', 'charter', c.name);
  const names = new Set(own.map((h) => h.name));
  const further = plan.nodes.filter((n) => !names.has(n.host));
  const reserved = view.by('Reservation', 'owner', `charter ${c.name}`).filter(taken);
  const there = new Set(reserved.map((r) => `${r.network}/${r.address}`));
  return amountsOf({
    hosts: [...own, ...further],
    addresses: reserved.length + plan.reservations.filter((r) => !there.has(`${r.network}/${r.address}`)).length,
  });
}

/** What a team has by now, and what it would have if everything was built that its charters say. */
export function usageOf(view: View, team: string): { stands: Amounts; planned: Amounts; charters: readonly Charter[] } {
  const charters = view.by('Charter', 'team', team);
  return {
    charters,
    stands: sumOf(charters.map((c) => standsOf(view, c.name))),
    planned: sumOf(charters.map((c) => wouldHaveOf(view, c))),
  };
}

/** What a team would have if this one charter was built, beside what stands of the others. */
export function withOneBuilt(view: View, team: string, c: Charter): Amounts {
  const others = view.by('Charter', 'team', team).filter((o) => o.name !== c.name);
  return sumOf([...others.map((o) => standsOf(view, o.name)), wouldHaveOf(view, c)]);
}

/** A team as a list shows it. */
export interface TeamRow {
  team: Team;
  stands: Amounts;
  planned: Amounts;
  /** Its clusters, and whether anything is held for them yet. */
  clusters: { name: string; site: string; stands: boolean }[];
}
/** Every team with what it has and what it has planned, by name. */
export const teamRows = (view: View): TeamRow[] =>
  view
    .all('Team')
    .map((team) => {
      const { stands, planned, charters } = usageOf(view, team.name);
      const clusters = charters.map((c) => ({
        name: c.name,
        site: c.site,
        stands: view.by('Host', 'charter', c.name).length > 0,
      }));
      return { team, stands, planned, clusters: clusters.sort((a, b) => (a.name < b.name ? -1 : 1)) };
    })
    .sort((a, b) => (a.team.name < b.team.name ? -1 : 1));

/** Edits that raise an allowance to what there would be. */
export const raised = (team: string, over: readonly { measure: AllowanceMeasure; is: number }[]): Edit[] =>
  over.map(({ measure, is }) => ({ op: 'set', kind: 'Team', key: team, path: ['allowance', measure], value: Math.ceil(is) }));
