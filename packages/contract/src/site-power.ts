import { RunStatus, Step } from '@praesidor/core/schedule';
import { z } from 'zod';
import { Count, Moment } from './parts.ts';

/** How a site was started or stopped last. */
export const SitePower = z.strictObject({
  last: z
    .strictObject({
      id: Count,
      to: z.enum(['start', 'stop']),
      title: z.string(),
      createdAt: Moment,
      createdBy: z.string(),
      steps: z.array(Step),
      status: RunStatus,
    })
    .optional(),
});
export type SitePower = z.infer<typeof SitePower>;
export const SitePowerBegun = z.strictObject({ id: Count });
export type SitePowerBegun = z.infer<typeof SitePowerBegun>;
