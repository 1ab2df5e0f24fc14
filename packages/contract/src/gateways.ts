import { RunStatus, Step } from '@praesidor/core/schedule';
import { z } from 'zod';
import { LogLine } from './clusters.ts';
import { RunApproval } from './last-run.ts';
import { Count, Moment } from './parts.ts';

/** What a gateway is set up with, and how the last setting up of it went. */
export const Setup = z.strictObject({
  /** What somebody puts on each member once. */
  account: z.strictObject({ user: z.string(), key: z.string(), sudo: z.string(), path: z.string(), program: z.string() }),
  /** Members for which no log-in is declared. */
  lacks: z.array(z.string()),
  last: z
    .strictObject({
      id: Count,
      createdAt: Moment,
      createdBy: z.string(),
      endedAt: Moment.nullable(),
      steps: z.array(Step),
      status: RunStatus,
      approval: RunApproval,
      approvedBy: z.string().nullable(),
      /** The last lines, the newest first. */
      log: z.array(LogLine),
    })
    .optional(),
});
export type Setup = z.infer<typeof Setup>;
export const SetupBegun = z.strictObject({ id: Count });
