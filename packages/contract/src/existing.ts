import type { Charter } from '@praesidor/core/model';
import { z } from 'zod';
import { described, Moment } from './parts.ts';

/** A cluster that exists, as its API told it, beside the charter that would give it. */
export const ExistingCluster = z.strictObject({
  at: Moment,
  name: z.string(),
  version: z.string(),
  nodes: z.array(
    z.strictObject({
      name: z.string(),
      controlPlane: z.boolean(),
      addresses: z.array(z.string()),
      version: z.string(),
      ready: z.boolean(),
      /** The host of the estate that it is; and why it is none, or none that can be had. */
      host: z.string().optional(),
      why: z.string().optional(),
    }),
  ),
  /** When the certificate that its API shows ends, and when its authority does. */
  certificateUntil: Moment.optional(),
  authorityUntil: Moment.optional(),
  /** None: it lacks too much to be drafted. */
  charter: described<Charter>('the charter that would give it').optional(),
  text: z.string().optional(),
  lacks: z.array(z.string()),
  rows: z.array(z.strictObject({ what: z.string(), there: z.string(), drafted: z.string(), same: z.boolean() })),
});
export type ExistingCluster = z.infer<typeof ExistingCluster>;
