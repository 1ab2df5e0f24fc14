import {
  Acceptance,
  Bill,
  EstateDifference,
  type Estate,
  type Kind,
  SeenBackups,
  SeenLosses,
  SeenController,
  SeenHypervisor,
  SeenRegistry,
  ServedZone,
  Sighting,
  sliceOf,
} from '@praesidor/core/model';
import { z } from 'zod';
import { Count, document, Moment } from './parts.ts';

const byName = <T extends z.ZodType>(of: T) => z.record(z.string(), of);
/** Everything declared, by kind, and the latest of what was observed. */
export const EstateAnswer = z.strictObject({
  now: z.string(),
  ...Object.fromEntries(Object.entries(sliceOf).map(([kind, slice]) => [slice, z.array(document(kind as Kind))])),
  /** Names of keyring entries, with what they are for; never their content. */
  keys: z.array(z.strictObject({ name: z.string(), use: z.string(), places: z.array(z.string()) })),
  /** Findings that somebody lives with. */
  accepted: z.array(Acceptance),
  observed: z.strictObject({
    bills: byName(Bill),
    registries: byName(SeenRegistry),
    hypervisors: byName(SeenHypervisor),
    /** By host: controllers that failed when they were asked last. */
    controllers: byName(SeenController),
    /** By cluster: the newest backup of each volume. */
    backups: byName(SeenBackups),
    losses: byName(SeenLosses),
    zones: byName(ServedZone),
    sightings: z.array(Sighting),
  }),
}) as unknown as z.ZodType<Estate, Estate>;
export const Snapshot = z.strictObject({
  estate: EstateAnswer,
  /** Position in the events; edits name it, so that what was changed since is not overwritten. */
  revision: Count,
  /** Version of each document, by kind and key. */
  versions: z.record(z.string(), Count),
  /** Names this state: who asks again says which one is at hand. */
  state: z.string(),
});
export type Snapshot = z.infer<typeof Snapshot>;
/** What has changed since a state that is at hand. */
export const SnapshotDifference = z.strictObject({
  since: z.string(),
  state: z.string(),
  revision: Count,
  difference: EstateDifference,
  /** Versions that are others by now; 0 for what is no more. */
  versions: z.record(z.string(), Count),
});
export type SnapshotDifference = z.infer<typeof SnapshotDifference>;
/** `page` for what a page needs: of what registries hold only what some bill asks for. `since` for the difference to a state at hand. */
export const SnapshotQuery = z.strictObject({ for: z.literal('page').optional(), since: z.string().max(80).optional() });

export const RecordedAct = z.strictObject({
  id: Count,
  at: Moment,
  who: z.string(),
  act: z.string(),
  subject: z.string(),
  canUndo: z.boolean(),
  /** By which token, and from which address, where somebody asked. */
  token: z.string().nullish(),
  address: z.string().nullish(),
});
export type RecordedAct = z.infer<typeof RecordedAct>;
export const RecordedActs = z.strictObject({ acts: z.array(RecordedAct) });

export const Imported = z.strictObject({ documents: Count, added: Count, changed: Count, same: Count, act: Count });
