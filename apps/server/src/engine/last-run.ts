import type * as answers from '@praesidor/contract';
import type { EntityManager } from 'typeorm';
import type { z } from 'zod';
import { type RunRow, Runs } from '../db/tables.ts';
import { statusOf } from './state.ts';

/** The newest run of a kind that is about something. */
export const lastRun = (m: EntityManager, kind: RunRow['kind'], subject: string): Promise<RunRow | null> =>
  m.findOne(Runs, { where: { kind, subject }, order: { id: 'DESC' } });
/** A run as it is told to whoever looks on. */
export const shownRun = async (m: EntityManager, run: RunRow): Promise<z.input<typeof answers.LastRun>> => ({
  id: run.id,
  title: run.title,
  createdAt: run.createdAt,
  createdBy: run.createdBy,
  steps: run.steps,
  status: await statusOf(m, run),
  approval: run.approval,
  approvedBy: run.approvedBy,
});
