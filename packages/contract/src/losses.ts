import { RunStatus, Step } from '@praesidor/core/schedule';
import { z } from 'zod';
import { Count, Moment } from './parts.ts';

/** The trial of a loss that was last. */
export const Losses = z.strictObject({
  last: z
    .strictObject({
      id: Count,
      host: z.string(),
      title: z.string(),
      createdAt: Moment,
      createdBy: z.string(),
      steps: z.array(Step),
      status: RunStatus,
    })
    .optional(),
});
export type Losses = z.infer<typeof Losses>;
export const LossBegun = z.strictObject({ id: Count });
export type LossBegun = z.infer<typeof LossBegun>;
