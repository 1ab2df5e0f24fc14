import type { Plan } from '@praesidor/core/charter';
import { standings } from '@praesidor/core/reach';
import { ChangeName, ChangePlan, MadeThing, Moves } from '@praesidor/core/changes';
import { KindTimes, RunStatus, RunSummary, Step } from '@praesidor/core/schedule';
import { z } from 'zod';
import { RunApproval } from './last-run.ts';
import { Count, described, document, Moment } from './parts.ts';

export const CharterAnswer = z.strictObject({
  doc: document('Charter'),
  /** As somebody wrote it, with its comments, brought to what it says now. */
  text: z.string(),
  version: Count,
  revisions: z.array(
    z.strictObject({
      charter: z.string(),
      revision: Count,
      doc: document('Charter'),
      at: Moment,
      by: z.string(),
      note: z.string(),
    }),
  ),
});
export type CharterAnswer = z.infer<typeof CharterAnswer>;
/** What a charter holds now: hosts, addresses, and those that were given back. */
export const Held = z.strictObject({
  hosts: z.array(z.string()),
  addresses: z.array(z.string()),
  released: z.array(z.string()),
  act: Count,
});
export const CharterSaved = z.strictObject({
  version: Count,
  revision: Count,
  /** What is held for it now, and what was given back. */
  held: z.strictObject({
    hosts: z.array(z.string()),
    addresses: z.array(z.string()),
    released: z.array(z.string()),
    /** Why nothing was held: its team would have more than its allowance. */
    notHeld: z.string().optional(),
  }),
  act: Count,
});
export const PrecinctMade = z.strictObject({
  precinct: z.strictObject({
    network: z.string(),
    parent: z.string(),
    prefix: z.string(),
    vlan: Count.optional(),
    gateway: z.strictObject({ name: z.string(), address: z.string() }).optional(),
    outbound: z.array(z.strictObject({ network: z.string(), address: z.string() })),
    inbound: z.string().optional(),
    pods: z.strictObject({ range: z.string(), perNode: Count }),
  }),
  held: z.strictObject({ hosts: z.array(z.string()), addresses: z.array(z.string()), released: z.array(z.string()) }),
  act: Count,
});
export type PrecinctMade = z.infer<typeof PrecinctMade>;
/** What a cluster publishes, as its API says it, beside what was planned. */
export const PublishedNow = z.strictObject({
  at: Moment,
  services: z.array(
    z.strictObject({
      namespace: z.string(),
      name: z.string(),
      standing: z.enum(standings),
      planned: z.string().optional(),
      /** The port of every node that it was planned with. */
      port: Count.optional(),
      text: z.string().optional(),
      seen: z
        .strictObject({
          namespace: z.string(),
          name: z.string(),
          addresses: z.array(z.string()),
          ports: z.array(z.strictObject({ port: Count, nodePort: Count.optional(), protocol: z.string() })),
          since: z.string().optional(),
          behind: Count,
          node: z.strictObject({ name: z.string(), since: z.string().optional() }).optional(),
        })
        .optional(),
    }),
  ),
});
export type PublishedNow = z.infer<typeof PublishedNow>;
export const CharterDeleted = z.strictObject({ gone: Count, act: Count });
export const KitFile = z.strictObject({
  path: z.string(),
  content: z.string(),
  from: z.array(z.string()),
  secret: z.boolean(),
  sha256: z.string(),
});
export type KitFile = z.infer<typeof KitFile>;
export const KitFiles = z.strictObject({ files: z.array(KitFile) });
const FileChange = z.strictObject({
  path: z.string(),
  how: z.enum(['added', 'changed', 'removed']),
  more: Count,
  less: Count,
  hunks: z.array(
    z.strictObject({ line: Count, lines: z.array(z.strictObject({ sign: z.enum([' ', '-', '+']), text: z.string() })) }),
  ),
});
/** What the kit has otherwise than the one that a build wrote; without a build: nothing. */
export const KitSince = z.strictObject({ build: Count.optional(), at: Moment.optional(), changes: z.array(FileChange) });
export type KitSince = z.infer<typeof KitSince>;
/** Fields of a charter with the lines of files that come from each, counted from 1; those that say most about a line first. */
export const KitLines = z.strictObject({
  fields: z.array(z.strictObject({ field: z.string(), lines: z.record(z.string(), z.array(Count)), count: Count })),
});
export type KitLines = z.infer<typeof KitLines>;

/** What a build needs, with what was last found of it. */
export const Prerequisite = z.strictObject({
  id: z.string(),
  what: z.string(),
  how: z.string(),
  /** It is measured; otherwise somebody confirms it. */
  measured: z.boolean(),
  /** A build does not go on without it. */
  needed: z.boolean(),
  state: z.enum(['good', 'bad', 'confirmed']).optional(),
  said: z.string().optional(),
  at: Moment.optional(),
  by: z.string().optional(),
});
export type Prerequisite = z.infer<typeof Prerequisite>;
export const Prerequisites = z.strictObject({ prerequisites: z.array(Prerequisite) });
export type Prerequisites = z.infer<typeof Prerequisites>;

export const Build = z.strictObject({
  charter: z.string(),
  number: Count,
  /** Which kind of change it is, what it is called, and whom it brings in and takes out. */
  kind: ChangeName,
  title: z.string(),
  moves: Moves,
  revision: Count,
  createdAt: Moment,
  createdBy: z.string(),
  /** Each with its lane, what it comes after, and how long it usually takes, in seconds. */
  steps: z.array(Step),
  /** The build, and each step with its attempts. */
  status: RunStatus,
});
export type Build = z.infer<typeof Build>;
/** A change of a cluster in a few numbers. */
export const BuildSummary = z.strictObject({
  ...Build.pick({ charter: true, number: true, kind: true, title: true, createdAt: true, createdBy: true }).shape,
  site: z.string(),
  ...RunSummary.shape,
  /** As many as the site allows are under way: it waits for its turn. */
  waits: z.boolean().optional(),
  /** A second person has to approve it first. */
  asks: z.boolean().optional(),
  /** While it is under way: when it is expected to end, and between which moments in eight cases of ten, in milliseconds. */
  end: z.number().optional(),
  from: z.number().optional(),
  to: z.number().optional(),
});
export type BuildSummary = z.infer<typeof BuildSummary>;
/** The newest first; `next`, where there are more: what to ask for as `before`. */
export const Builds = z.strictObject({
  builds: z.array(BuildSummary),
  next: Count.optional(),
  /** Of the last hundred that ended well without a stop: how many, and how many of them within what was said at their begin. */
  said: z.strictObject({ of: Count, within: Count }),
});
export type Builds = z.infer<typeof Builds>;
/** In the order of time. */
export const BuildTimes = z.strictObject({
  builds: z.array(z.strictObject({ charter: z.string(), number: Count, at: Moment.nullable(), kinds: z.array(KindTimes) })),
});
export type BuildTimes = z.infer<typeof BuildTimes>;
export const ProofLine = z.strictObject({
  what: z.string(),
  planned: z.string(),
  found: z.string(),
  good: z.boolean(),
  evidence: z.array(z.string()),
  at: z.string(),
});
export type ProofLine = z.infer<typeof ProofLine>;
/** A line of what is measured of a cluster that stands, again and again. */
export const StandingProof = z.strictObject({
  lines: z.array(
    ProofLine.extend({
      /** Since when it holds, or does not. */
      since: Moment,
      /** How often it is measured, in minutes. */
      every: z.number().optional(),
      /** Where what it finds is mended. */
      mend: z.strictObject({ label: z.string(), go: z.string() }),
    }),
  ),
  /** What became otherwise, the newest first. */
  changes: z.array(z.strictObject({ what: z.string(), at: Moment, good: z.boolean(), planned: z.string(), found: z.string() })),
});
export type StandingProof = z.infer<typeof StandingProof>;
/** Everything that was made for a cluster, with how each thing stands. */
export const Made = z.strictObject({ made: z.array(MadeThing) });
export type Made = z.infer<typeof Made>;
/** Lines that do not hold, of all clusters; and of each when one was measured last, and how many hold. */
export const Drifts = z.strictObject({
  proved: z.array(z.strictObject({ charter: z.string(), at: Moment, holds: Count, of: Count })),
  drifts: z.array(
    z.strictObject({ charter: z.string(), what: z.string(), planned: z.string(), found: z.string(), since: Moment }),
  ),
});
export type Drifts = z.infer<typeof Drifts>;
export const WholeBuild = Build.extend({
  proof: z.array(ProofLine).nullable(),
  plan: described<Plan>('the plan that it executes, as it was when it began'),
  /** Its number among all runs. */
  run: Count,
  approval: RunApproval,
  approvedBy: z.string().nullable(),
});
export type WholeBuild = z.infer<typeof WholeBuild>;
/** What leads from what stands to the plan; null: nothing, it stands as planned. */
export const ChangeDue = z.strictObject({ due: ChangePlan.nullable() });
export type ChangeDue = z.infer<typeof ChangeDue>;
/** What etcd held before its members were changed; `number`: by which change. */
export const EtcdBackups = z.strictObject({
  backups: z.array(
    z.strictObject({
      id: Count,
      number: Count.nullable(),
      member: z.string(),
      at: Moment,
      bytes: Count,
      sha256: z.string(),
    }),
  ),
});
export type EtcdBackups = z.infer<typeof EtcdBackups>;
export const BuildBegun = z.strictObject({ charter: z.string(), number: Count });
export const LogLine = z.strictObject({ id: Count, step: z.string(), at: Moment, level: z.string(), line: z.string() });
export type LogLine = z.infer<typeof LogLine>;
export const LogLines = z.strictObject({ lines: z.array(LogLine) });
