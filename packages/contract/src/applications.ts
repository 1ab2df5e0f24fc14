import { z } from 'zod';
import { Count, Moment } from './parts.ts';

/** An object of an application: of programs, its pods that are ready, of those that are wanted, and why others are not. */
export const ApplicationPart = z.strictObject({
  apiVersion: z.string(),
  kind: z.string(),
  namespace: z.string().optional(),
  name: z.string(),
  state: z.enum(['runs', 'comes-up', 'there', 'absent', 'not-known']),
  ready: Count.optional(),
  wanted: Count.optional(),
  why: z.string().optional(),
});
/** An add-on in a cluster: in its charter and not given yet, given and not all of it runs, all of it runs, given and in the charter no more, or not known. */
export const ClusterApplication = z.strictObject({
  /** None: no add-on of the estate has what was given. */
  addon: z.string().optional(),
  state: z.enum(['planned', 'comes-up', 'runs', 'leaves', 'not-known']),
  parts: z.array(ApplicationPart),
});
export type ClusterApplication = z.infer<typeof ClusterApplication>;
export const ClusterApplications = z.strictObject({
  at: Moment,
  applications: z.array(ClusterApplication),
  /** The change that the cluster was given them by; none: it does not stand. */
  by: Count.optional(),
  /** Why its API was not asked, or did not answer. */
  silent: z.string().optional(),
});
export type ClusterApplications = z.infer<typeof ClusterApplications>;
