import { RunStatus, Step } from '@praesidor/core/schedule';
import { z } from 'zod';
import { Count, Moment } from './parts.ts';

/** Whether a second person has to approve a run before it begins, or has; null: nobody asks for one. */
export const RunApproval = z.enum(['asked', 'given']).nullable();

/** A run with its steps, as whoever looks on is told of the last one. */
export const LastRun = z.strictObject({
  id: Count,
  title: z.string(),
  createdAt: Moment,
  createdBy: z.string(),
  steps: z.array(Step),
  status: RunStatus,
  approval: RunApproval,
  approvedBy: z.string().nullable(),
});
export type LastRun = z.infer<typeof LastRun>;
