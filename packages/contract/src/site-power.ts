import { z } from 'zod';
import { LastRun } from './last-run.ts';
import { Count } from './parts.ts';

/** How a site was started or stopped last. */
export const SitePower = z.strictObject({ last: LastRun.extend({ to: z.enum(['start', 'stop']) }).optional() });
export type SitePower = z.infer<typeof SitePower>;
export const SitePowerBegun = z.strictObject({ id: Count });
export type SitePowerBegun = z.infer<typeof SitePowerBegun>;
