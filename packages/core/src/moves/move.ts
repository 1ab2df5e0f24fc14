import type { Finding, Remedy } from '../checks/check.ts';
import type { Estate } from '../model/estate.ts';
import type { Charter, Host, Hypervisor, Network, Registry, Site, Zone } from '../model/documents.ts';
import type { Sighting } from '../model/observed.ts';
import type { PlannedRecord } from '../naming/plan.ts';

/** Stages in the order of the job; what failed comes before all of them. */
export const stages = [
  'mend',
  'site',
  'networks',
  'keyring',
  'hosts',
  'registry',
  'releases',
  'charter',
  'images',
  'names',
  'build',
] as const;
export type Stage = (typeof stages)[number];

/** One thing to do next. `go` leads to where it is done; `remedy` does it. */
export interface Move {
  /** Where it is to be done; empty before there is a site. */
  site: string;
  stage: Stage;
  text: string;
  label: string;
  go: string;
  remedy?: Remedy;
}

/** The last build of a charter; `failed`: its first step that failed and was not tried again, in words. */
export interface Built {
  number: number;
  state: string;
  /** What is measured of its cluster and does not hold: the first line, and how many there are. */
  drift?: { what: string; count: number } | undefined;
  failed?: string | undefined;
}

/** Somebody who cannot be told what they were to be told of, and why. */
export interface Untold {
  name: string;
  why: string;
}
/** What is known beside the estate: the last build of each charter, by its name, and whom nobody reaches. */
export interface Known {
  built?: Readonly<Record<string, Built>>;
  untold?: readonly Untold[];
}

/** A site with all that stands there, gathered once for all sites. */
export interface SiteView {
  site: Site;
  networks: Network[];
  hosts: Host[];
  hypervisors: Hypervisor[];
  zones: Zone[];
  registries: Registry[];
  /** Every charter here, and those whose cluster does not stand yet. */
  charters: Charter[];
  unbuilt: Charter[];
  /** Seen by a sweep, and not in the estate. */
  sighted: Sighting[];
  findings: Finding[];
  /** Planned records of a zone. */
  planned: (zone: string) => PlannedRecord[];
  /** Whether the check for too few hosts fires for a charter. */
  short: Finding | undefined;
  estate: Estate;
  built: Readonly<Record<string, Built>>;
}

/** What is said of a site; `text` without its title. */
export type Said = Omit<Move, 'site'>;
/** A rule: what it would have done next at a site. A new one is a file and a line. */
export type MoveRule = (view: SiteView) => Said[];
