import { z } from 'zod';
import { LastRun } from './last-run.ts';
import { Count } from './parts.ts';

/** The trial of a loss that was last. */
export const Losses = z.strictObject({ last: LastRun.extend({ case: z.string() }).optional() });
export type Losses = z.infer<typeof Losses>;
export const LossBegun = z.strictObject({ id: Count });
export type LossBegun = z.infer<typeof LossBegun>;
