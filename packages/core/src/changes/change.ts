import type { Known } from '../schedule/estimate.ts';
import { z } from 'zod';
import type { Plan, PlannedNode } from '../charter/plan.ts';
import { AuthorityStage, type ClusterRole } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import type { Limiting } from '../schedule/limits.ts';
import { Step } from '../schedule/steps.ts';

/** What can be done to a cluster as a whole. A new one is a file in `kinds`, a name here and a line in `index.ts`. */
export const ChangeName = z.enum([
  'build',
  'add-hosts',
  'replace-hosts',
  'remove-hosts',
  'upgrade',
  'apply',
  'authority',
  'renew',
  'take-down',
  'give-back',
  'take-in',
  'release',
]);
export type ChangeName = z.infer<typeof ChangeName>;

/** A host that serves and that the plan has no more. */
export interface Leaving {
  host: string;
  role: ClusterRole;
  zone: string;
  /** The one that it has as a node. */
  address: string | undefined;
  /** What pods could use of it. */
  cores: number;
  memoryGiB: number;
  pods: number;
}
/** What the pods of a cluster ask for, and how many there are, without those that every node has. */
export const Requested = z.strictObject({ cores: z.number(), memoryGiB: z.number(), pods: z.number() });
export type Requested = z.infer<typeof Requested>;
/** What hosts that stand were given, as far as it is known; without it, nothing is held to differ. */
export interface Installed {
  /** Files of a host that are otherwise by now, by its name: paths on the host. */
  files: ReadonlyMap<string, readonly string[]>;
  /** Files of the cluster, given to its API, that are otherwise by now. */
  manifests: readonly string[];
  /** Hosts that were given the account with which the server puts new files there while they run. */
  accounts: ReadonlySet<string>;
  /** When the first certificate on a host ends, by its name. */
  certificates: ReadonlyMap<string, string>;
  /** Which change of its authorities is next, where it is not the first, and when the first of them ends. */
  authority?: { stage: AuthorityStage; ends: string } | undefined;
  /** The charter that it was built or changed by last. */
  charter?: Plan['charter'] | undefined;
  /** What runs and asks for room, where its API tells it. */
  requested?: Requested | undefined;
  /** Releases that follow on the way to that of the charter, each a change of its own. */
  further?: readonly string[] | undefined;
  /** Somebody else built it: its API can be asked, and its hosts are not installed from here. */
  elsewhere?: boolean | undefined;
}

/** A host that is kept for a cluster that was taken down: off, with what lies on its drives. */
export interface Keeping {
  host: string;
  hypervisor?: string | undefined;
}
/** What stands, against the plan as it is now. */
export interface Between {
  plan: Plan;
  /** In milliseconds since the epoch. */
  now: number;
  installed: Installed;
  /** What else of the estate a change is computed from. */
  estate: Standing;
  stays: PlannedNode[];
  /** Those of them that were installed with another release, and with which. */
  behind: { node: PlannedNode; release: string }[];
  joins: PlannedNode[];
  leaves: Leaving[];
  keeps: Keeping[];
}
/** What of an estate a change is computed from. */
export type Standing = Pick<Estate, 'hosts' | 'releases' | 'now' | 'reservations'> & Limiting;

/** One kind of change. It is pure: what it answers follows from what stands and from the plan. */
export interface ChangeKind {
  kind: ChangeName;
  /** An act, as it stands on a button. */
  label: string;
  /** Whether it is this that leads from what stands to the plan. Of all kinds at most one is. */
  due: (b: Between) => boolean;
  title: (b: Between) => string;
  steps: (b: Between, known: Known) => Step[];
  /** Whom it installs, where it is not those who join. */
  installs?: (b: Between) => PlannedNode[];
  /** Somebody may ask for it, whether it is due or not. */
  asked?: (b: Between) => boolean;
  /** It ends the cluster, or what is left of it: it is confirmed by its name, nothing is held for it, and no finding keeps it. */
  ends?: true;
  /** It can be done to a cluster that was built by something else, too. */
  elsewhere?: true;
  /** It puts down what stands already: no finding keeps it. */
  asItStands?: true;
  /** What somebody is told who confirms it by the name. */
  confirm?: (b: Between) => string;
  /** Why it cannot be asked for, where there is nothing to do it to. */
  nothing?: (charter: string) => string;
  /** Its certificates are issued anew when it begins. */
  reissues?: true;
  /** How far its authorities are changed when it begins. */
  authority?: (b: Between) => AuthorityStage;
  /** Whom it takes out, where it is not those who leave. */
  removes?: (b: Between) => string[];
  /** Why it cannot be begun, each a sentence without its end. */
  refused?: (b: Between) => string[];
  /** Releases that follow by themselves when it is proved. */
  further?: (b: Between) => string[];
  /** What is away meanwhile, and what of it those notice who use the cluster. */
  away: (b: Between) => string;
  /** What changes, where it is not whom it brings in and takes out. */
  rows?: (b: Between) => ChangeRow[];
  /** From which step on it cannot be taken back, and what is gone by then. */
  point?: (b: Between, steps: readonly Step[]) => { step: string; text: string } | undefined;
}

export const ChangeRow = z.strictObject({
  what: z.string(),
  now: z.string(),
  after: z.string(),
  how: z.string(),
  /** The field of the charter that it follows from. */
  field: z.string().optional(),
});
export type ChangeRow = z.infer<typeof ChangeRow>;
/** Whom a change brings into a cluster, whom out of it, and who stood when it began: what is kept of it while it runs. */
export const Moves = z.strictObject({ joins: z.array(z.string()), leaves: z.array(z.string()), stands: z.array(z.string()) });
export type Moves = z.infer<typeof Moves>;
export const ChangePlan = z.strictObject({
  kind: ChangeName,
  label: z.string(),
  title: z.string(),
  ...Moves.shape,
  steps: z.array(Step),
  refused: z.array(z.string()),
  /** Releases that follow by themselves, one after the other, when this one is proved. */
  further: z.array(z.string()),
  /** It ends the cluster: it is confirmed by its name. */
  ends: z.boolean(),
  /** What is gone then, as it is told to whoever confirms it. */
  confirm: z.string().optional(),
  /** How far it changes the authorities of the cluster: of three changes, which. */
  authority: AuthorityStage.optional(),
  away: z.string(),
  point: z.strictObject({ step: z.string(), text: z.string() }).optional(),
  rows: z.array(ChangeRow),
  /** Cores that pods can use, from so many seconds after the begin on. */
  capacity: z.array(z.strictObject({ at: z.number(), cores: z.number() })),
  /** What runs and asks for room, where the API of the cluster tells it. */
  requested: Requested.optional(),
});
export type ChangePlan = z.infer<typeof ChangePlan>;
