import { z } from 'zod';
import { Count } from './parts.ts';

/** How far a sweep of a network is, in addresses. */
export const SweepProgress = z.strictObject({ done: Count, of: Count, found: Count });
export type SweepProgress = z.infer<typeof SweepProgress>;
/**
 * One line of `/api/events` (server-sent events): what changed, by kind and name. `id` is its position, by which what was missed is asked
 * for again; 0 for what is looked at live and of no use later. `Again`: more was missed than is told one by one; read everything anew.
 */
export const ServerEvent = z.strictObject({
  id: Count,
  kind: z.string(),
  subject: z.string(),
  data: SweepProgress.optional(),
});
export type ServerEvent = z.infer<typeof ServerEvent>;
