import { RunStatus, Step } from '@praesidor/core/schedule';
import { z } from 'zod';
import { Count, Moment } from './parts.ts';

/** A run with its steps, as whoever looks on is told of the last one. */
export const LastRun = z.strictObject({
  id: Count,
  title: z.string(),
  createdAt: Moment,
  createdBy: z.string(),
  steps: z.array(Step),
  status: RunStatus,
});
export type LastRun = z.infer<typeof LastRun>;
