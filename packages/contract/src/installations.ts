import { CarriedChange } from '@praesidor/core/bundles';
import { z } from 'zod';
import { Act, Count, Moment, Name } from './parts.ts';
import { ProposedChange } from './proposals.ts';

/** A bundle of the plan: made here for another installation, or brought from one. */
export const Bundle = z.strictObject({
  id: Count,
  number: Count,
  way: z.enum(['to', 'from']),
  state: z.enum(['made', 'waiting', 'taken']),
  sites: z.array(z.string()),
  made: Moment,
  madeBy: z.string(),
  bytes: Count,
  takenAt: Moment.nullable(),
  takenBy: z.string().nullable(),
  /** Whether its file is kept here still. */
  kept: z.boolean(),
});
export type Bundle = z.infer<typeof Bundle>;
/** A change of a cluster at another installation, of which the evidence was brought. */
export const BroughtChange = CarriedChange.omit({ file: true }).extend({ bundle: Count, at: Moment });
export type BroughtChange = z.infer<typeof BroughtChange>;
/** An installation that is trusted here, and what was exchanged with it. */
export const OtherInstallation = z.strictObject({
  name: z.string(),
  key: z.string(),
  fingerprint: z.string(),
  /** The sites at which it stands, as it was said here. */
  sites: z.array(z.string()),
  /** The last bundle from here that it says to have taken in; 0: none. */
  confirmed: Count,
  bundles: z.array(Bundle),
  changes: z.array(BroughtChange),
});
export type OtherInstallation = z.infer<typeof OtherInstallation>;
export const OtherInstallations = z.strictObject({
  /** This one, as others are to know it. */
  own: z.strictObject({ name: z.string(), key: z.string(), fingerprint: z.string() }),
  others: z.array(OtherInstallation),
});
export type OtherInstallations = z.infer<typeof OtherInstallations>;
export const BundleMade = z.strictObject({ id: Count, number: Count });
export type BundleMade = z.infer<typeof BundleMade>;
export const BundleBrought = BundleMade.extend({ from: Name });
export type BundleBrought = z.infer<typeof BundleBrought>;
/** What a bundle would change here, as things stand now. */
export const BundleChanges = z.strictObject({
  bundle: Bundle,
  name: z.string(),
  changes: z.array(ProposedChange),
  /** What was observed there later than here. */
  observed: z.array(z.strictObject({ kind: z.string(), subject: z.string(), at: Moment.nullable() })),
  /** Changes of clusters whose evidence it brings. */
  evidence: z.array(CarriedChange),
});
export type BundleChanges = z.infer<typeof BundleChanges>;
export const BundleTaken = Act.extend({ documents: Count, observed: Count, changes: Count });
export type BundleTaken = z.infer<typeof BundleTaken>;
