import { RolloutAsked } from '@praesidor/core/rollout';
import { z } from 'zod';
import { LastRun } from './last-run.ts';
import { Count } from './parts.ts';

/** How a template was rolled out last, and what was asked for. */
export const Rollout = z.strictObject({ last: LastRun.extend({ asked: RolloutAsked }).optional() });
export type Rollout = z.infer<typeof Rollout>;
export const RolloutBegun = z.strictObject({ id: Count });
export type RolloutBegun = z.infer<typeof RolloutBegun>;
