import type { Change } from '../model/difference.ts';
import type { Estate } from '../model/estate.ts';
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
