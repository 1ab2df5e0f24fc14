import {
  Acceptance,
  Bill,
  Heard,
  type Doc,
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
import { described, Count, document, Moment } from './parts.ts';

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
    /** By site: those where another installation stands. */
    heard: byName(Heard),
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
/** One act with all that is on record of it. */
export const WholeAct = RecordedAct.omit({ canUndo: true }).extend({
  detail: z.record(z.string(), z.unknown()),
  undoes: Count.nullable(),
  undoneBy: Count.nullable(),
  /** Fields of documents that it changed; without `before` there was none, without `after` there is none. */
  fields: z.array(
    z.strictObject({
      kind: z.string(),
      key: z.string(),
      path: z.string(),
      before: z.unknown().optional(),
      after: z.unknown().optional(),
    }),
  ),
  /** Further ones, which are not told here. */
  more: Count,
});
export type WholeAct = z.infer<typeof WholeAct>;
/** Up to which act the record is sealed; and acts that are not what was put down. */
export const RecordSeal = z.strictObject({
  sealed: z.strictObject({ last: Count, at: Moment, digest: z.string() }).nullable(),
  checkedAt: Moment.nullable(),
  broken: z.array(z.strictObject({ after: Count, last: Count, at: z.string() })),
});
export type RecordSeal = z.infer<typeof RecordSeal>;

/** A document as it stands, with who wrote it last. */
export const StandingDocument = z.strictObject({
  key: z.string(),
  doc: described<Doc>('a document, as in /api/schema/:kind'),
  version: Count,
  by: z.string(),
  at: Moment,
});
export const Documents = z.strictObject({ documents: z.array(StandingDocument) });
/** A finding, without what it offers. */
export const ToldFinding = z.strictObject({
  code: z.string(),
  severity: z.enum(['stop', 'mind', 'note']),
  subject: z.strictObject({ kind: z.string(), name: z.string() }),
  title: z.string(),
  text: z.string(),
  site: z.string(),
  /** Clusters that it keeps from being built. */
  charters: z.array(z.string()),
});
export type ToldFinding = z.infer<typeof ToldFinding>;
/** What a text would change, and what would be found then. */
export const Difference = z.strictObject({
  /** The state that it was held against: sent along, nothing that was changed since is written over. */
  revision: Count,
  same: Count,
  changes: z.array(
    z.strictObject({
      kind: z.string(),
      key: z.string(),
      what: z.enum(['added', 'changed']),
      fields: z.array(z.strictObject({ path: z.string(), before: z.unknown().optional(), after: z.unknown().optional() })),
    }),
  ),
  come: z.array(ToldFinding),
  go: z.array(ToldFinding),
  /** Why whoever asks may not do it. */
  refused: z.string().nullable(),
});
export type Difference = z.infer<typeof Difference>;

export const Imported = z.strictObject({ documents: Count, added: Count, changed: Count, same: Count, act: Count });
