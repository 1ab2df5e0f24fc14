import { type AskedVolume, volumesAsked } from '@praesidor/core/backup';
import type { Charter, Estate } from '@praesidor/core/model';
import { z } from 'zod';
import type { RunRow } from '../../db/tables.ts';
import { StepFailure } from '../../engine/failure.ts';
import { needIn } from '../../estate/documents.ts';

/** A claim that is made for what is given back. */
export const NewClaim = z.strictObject({
  namespace: z.string(),
  claim: z.string(),
  sizeGB: z.number(),
  class: z.string().optional(),
});
const Place = z.strictObject({ charter: z.string(), volume: z.string() });
export type Place = z.infer<typeof Place>;
/** Runs of volumes by what they are for. Those of standby copies: to follow, to activate, to give back, and to end what was active before. */
export const Purpose = z.enum(['copy', 'trial', 'restore', 'follow', 'activate', 'give-back', 'end']);
export type Purpose = z.infer<typeof Purpose>;
/** Those that put something in the place of what a volume holds. */
export const overwrites: ReadonlySet<Purpose> = new Set(['restore', 'activate', 'give-back']);

/** What a run of volumes was asked for, beside its steps. */
export const Asked = z.looseObject({
  what: Purpose,
  labels: z.array(z.string()).optional(),
  /** The backup that all of it is about. */
  backup: z.number().optional(),
  made: NewClaim.optional(),
  /** Steps that are about another volume than that of their lane, in this cluster. */
  places: z.record(z.string(), Place).optional(),
  /** Steps that give back another backup: of which volume; its newest, where no number is said. */
  gives: z.record(z.string(), Place.extend({ backup: z.number().optional() })).optional(),
  /** The workload whose standby copy it is about, and the cluster that the copy is of. */
  standby: z.strictObject({ workload: z.string(), cluster: z.string() }).optional(),
});
export type Asked = z.infer<typeof Asked>;

export const askedOf = (run: RunRow): Asked => Asked.parse(run.asked);
/** Which volume a step is about. */
export const placeOf = (run: RunRow, step: { id: string; lane: string }): Place =>
  askedOf(run).places?.[step.id] ?? { charter: run.subject, volume: step.lane };

/** A volume of a workload, as it is asked for now. @throws StepFailure where nobody asks for it any more */
export function volumeAt(estate: Estate, { charter: name, volume }: Place): { charter: Charter; asked: AskedVolume } {
  const charter = needIn(estate, 'Charter', name);
  const asked = volumesAsked(charter).find((v) => v.name === volume);
  if (!asked) throw new StepFailure(`No workload of ${name} has the volume ${volume} any more.`, 'Stop this, and begin anew.');
  return { charter, asked };
}
