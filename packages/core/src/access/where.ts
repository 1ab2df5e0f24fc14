import type { Change } from '../model/difference.ts';
import type { Doc } from '../model/documents.ts';
import type { Role } from './acts.ts';
import { includes } from './acts.ts';

/** What an act is about: at which sites, and whose cluster, where it is one. Without sites: what all sites share. */
export interface Where {
  sites: readonly string[];
  teams: readonly string[];
  /** As it is called in a refusal: `the cluster plover`. */
  what?: string;
  /** Of these sites, those where another installation stands, by its name. */
  elsewhere?: Readonly<Record<string, string>> | undefined;
}
/** What somebody may do where: a role everywhere, more at single sites, and the teams whose clusters they may change. */
export interface Rights {
  role: Role;
  sites?: Readonly<Record<string, Role>> | undefined;
  teams?: readonly string[] | undefined;
}

export const shared: Where = { sites: [], teams: [] };

/** The role that somebody has at all of some sites; of what all sites share, the role of the account. */
export function roleAt(who: Rights, sites: readonly string[]): Role {
  let least: Role | undefined;
  for (const s of sites) {
    const here = who.sites?.[s];
    const role = here && includes(here, who.role) ? here : who.role;
    if (!least || !includes(role, least)) least = role;
  }
  return least ?? who.role;
}
/** The most that somebody may anywhere: for what is only shown or hidden, and for what is asked again when it is known where. */
export const roleAnywhere = (who: Rights): Role =>
  Object.values(who.sites ?? {}).reduce((most, r) => (includes(r, most) ? r : most), who.role);

/** Sites of networks and DNS zones, of which addresses and records are. */
export interface SiteOf {
  network: (name: string) => string | undefined;
  zone: (name: string) => string | undefined;
}
/** The sites of a document; none: it is of no site, or nobody knows of which. */
export function sitesOf(doc: Doc, of: SiteOf): string[] {
  if (doc.kind === 'Site') return [doc.name];
  if ('site' in doc && doc.site) return [doc.site];
  const site = doc.kind === 'Reservation' ? of.network(doc.network) : doc.kind === 'Record' ? of.zone(doc.zone) : undefined;
  return site ? [site] : [];
}

const nowhere: SiteOf = { network: () => undefined, zone: () => undefined };
/** Where a change of a document is: at the sites before and after, of the teams before and after. */
export function whereOf({ before, after, key, kind }: Change, siteOf: SiteOf = nowhere): Where {
  const docs = [before, after].filter((d) => d !== null);
  const teams = docs.flatMap((d) => (d.kind === 'Charter' && d.team ? [d.team] : []));
  return {
    sites: [...new Set(docs.flatMap((d) => sitesOf(d, siteOf)))],
    teams: [...new Set(teams)],
    what: kind === 'Charter' ? `the cluster ${key}` : `${kind} ${key}`,
  };
}
