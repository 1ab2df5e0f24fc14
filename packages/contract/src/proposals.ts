import type { Collision, FieldChange } from '@praesidor/core/model';
import { z } from 'zod';
import { Count, described, Moment } from './parts.ts';

export const ProposalState = z.enum(['open', 'made', 'withdrawn']);
export type ProposalState = z.infer<typeof ProposalState>;
const Approval = z.strictObject({
  by: z.string(),
  at: Moment,
  /** Whether it is of what the proposal does now. */
  holds: z.boolean(),
});
/** A set of changes that is kept as a draft which others see. */
export const ProposalRow = z.strictObject({
  id: Count,
  title: z.string(),
  why: z.string(),
  state: ProposalState,
  by: z.string(),
  /** Everybody who has put a change into it: none of them approves it. */
  writers: z.array(z.string()),
  createdAt: Moment,
  updatedAt: Moment,
  closedAt: Moment.nullable(),
  closedBy: z.string().nullable(),
  /** The act in the record with which it was made. */
  act: Count.nullable(),
  documents: Count,
  comments: Count,
  sites: z.array(z.string()),
  teams: z.array(z.string()),
  /** Which site or team has it approved by a second person: `the site aft`. */
  asks: z.string().nullable(),
  approvals: z.array(Approval),
});
export type ProposalRow = z.infer<typeof ProposalRow>;
export const Proposals = z.strictObject({ proposals: z.array(ProposalRow) });

/** One document of a proposal, as it would be changed from how it stands now. */
export const ProposedChange = z.strictObject({
  kind: z.string(),
  key: z.string(),
  what: z.enum(['added', 'changed', 'removed']),
  fields: described<FieldChange[]>('the fields that differ: path, before, after'),
  /** Fields that somebody else set to another value since: path, before, mine, theirs. While there is one, it cannot be made. */
  collisions: described<Collision[]>('fields that two people set to different values'),
  before: z.unknown(),
  after: z.unknown(),
});
export type ProposedChange = z.infer<typeof ProposedChange>;
export const WholeProposal = ProposalRow.extend({
  /** What it does, as it is approved and made. */
  digest: z.string(),
  changes: z.array(ProposedChange),
  /** Documents that stand as wanted already. */
  standing: Count,
  said: z.array(z.strictObject({ id: Count, by: z.string(), at: Moment, text: z.string() })),
});
export type WholeProposal = z.infer<typeof WholeProposal>;
export const ProposalBegun = z.strictObject({ id: Count });

/** A run that waits until a second person has approved it. */
export const WaitingRun = z.strictObject({
  id: Count,
  kind: z.string(),
  title: z.string(),
  subject: z.string(),
  site: z.string(),
  steps: Count,
  by: z.string(),
  at: Moment,
  /** Of a change of a cluster: which one. */
  charter: z.string().nullable(),
  number: Count.nullable(),
});
export type WaitingRun = z.infer<typeof WaitingRun>;
export const WaitingRuns = z.strictObject({ runs: z.array(WaitingRun) });
export type WaitingRuns = z.infer<typeof WaitingRuns>;
