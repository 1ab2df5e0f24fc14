import type { Change } from '../model/difference.ts';
import { type Edit, editDoc } from '../model/edit.ts';
import { type Estate, find, keyOf } from '../model/estate.ts';
import { shared, type SiteOf, type Where, whereOf } from './where.ts';

/** Sites and teams at which nothing is changed by one person alone: a second one approves it. */
export interface FourEyes {
  sites: readonly string[];
  teams: readonly string[];
}
export const fourEyesOf = (estate: Pick<Estate, 'sites' | 'teams'>): FourEyes => ({
  sites: estate.sites.filter((s) => s.fourEyes).map((s) => s.name),
  teams: estate.teams.filter((t) => t.fourEyes).map((t) => t.name),
});

/**
 * Which site or team asks for a second person of what is done at a place, as it is called in a sentence; undefined: none does.
 *
 * @example askedBy({ sites: ['aft'], teams: [] }, { sites: ['aft'], teams: [] }) // 'the site aft'
 */
export function askedBy(where: Pick<Where, 'sites' | 'teams'>, eyes: FourEyes): string | undefined {
  const site = where.sites.find((s) => eyes.sites.includes(s));
  if (site !== undefined) return `the site ${site}`;
  const team = where.teams.find((t) => eyes.teams.includes(t));
  return team === undefined ? undefined : `the team ${team}`;
}

/** What is said of something that one person wants to do alone, and what to do. */
export const needsSecond = (asks: string, what: string): { message: string; remedy: string } => ({
  message: `${asks.charAt(0).toUpperCase()}${asks.slice(1)} has each change approved by a second person; this one changes ${what}.`,
  remedy: 'Keep it as a proposal; whoever approves it must be somebody else.',
});

/** The same of a change of a document: of where it was, and where it will be. Who asks no longer has still asked when that was changed. */
export function changeAskedBy(change: Change, eyes: FourEyes, siteOf?: SiteOf): string | undefined {
  if (!eyes.sites.length && !eyes.teams.length) return undefined;
  const { sites, teams } = change.kind === 'Team' ? { ...shared, teams: [change.key] } : whereOf(change, siteOf);
  return askedBy({ sites, teams }, eyes);
}

/**
 * Who asks for a second person of edits that somebody is about to make; undefined: nobody does, or they cannot be made at all.
 * For whoever shows it: what the server decides holds.
 */
export function editsAskedBy(estate: Estate, edits: readonly Edit[]): string | undefined {
  const eyes = fourEyesOf(estate);
  if (!eyes.sites.length && !eyes.teams.length) return undefined;
  const at = (list: readonly { name: string; site: string }[]) => new Map(list.map((x) => [x.name, x.site]));
  const [networks, zones] = [at(estate.networks), at(estate.zones)];
  const siteOf: SiteOf = { network: (n) => networks.get(n), zone: (n) => zones.get(n) };
  for (const e of edits) {
    const [kind, key] = e.op === 'put' ? [e.doc.kind, keyOf(e.doc)] : [e.kind, e.key];
    const before = find(estate, kind, key) ?? null;
    try {
      const asks = changeAskedBy({ kind, key, before, after: editDoc(e, before ?? undefined) ?? null }, eyes, siteOf);
      if (asks) return asks;
    } catch {
      // It is refused for something else.
    }
  }
  return undefined;
}
