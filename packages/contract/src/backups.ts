import { Workload } from '@praesidor/core/model';
import { z } from 'zod';
import { LastRun } from './last-run.ts';
import { Count, Moment } from './parts.ts';

/** A backup that was made of a volume; one that was dropped is not told any more. */
export const VolumeBackup = z.strictObject({
  id: Count,
  volume: z.string(),
  plan: z.string().nullable(),
  store: z.string(),
  /** When it was begun, and when it was whole. */
  at: Moment,
  ended: Moment,
  bytes: Count,
  /** Of them those that the store did not have. */
  sent: Count,
  labels: z.array(z.string()),
  madeBy: z.string(),
  /** Of the last test: when, whether it was given back as it was made, and what was found. */
  tried: z.strictObject({ at: Moment, good: z.boolean(), text: z.string() }).nullable(),
});
export type VolumeBackup = z.infer<typeof VolumeBackup>;

/** Backups of a cluster, the newest first, and the run that was last. */
export const Backups = z.strictObject({
  backups: z.array(VolumeBackup),
  /** What it is for, and the workload whose standby copy it is about. */
  last: LastRun.extend({ what: z.string(), standby: z.string().optional() }).optional(),
});
export type Backups = z.infer<typeof Backups>;
/** A copy of a volume: it has all that was written, takes in what it lacks from another host, lacks something, is on a host that does not answer, or is gone. */
export const SeenCopy = z.strictObject({
  host: z.string(),
  state: z.enum(['current', 'filling', 'behind', 'silent', 'gone']),
  age: z.number(),
  from: z.string().optional(),
  filled: z.number().optional(),
  of: z.number().optional(),
  left: z.number().optional(),
  why: z.string().optional(),
});
export type SeenCopy = z.infer<typeof SeenCopy>;
/** A volume of a cluster as its API says: one that is planned, or one that nobody declared. */
export const SeenVolume = z.strictObject({
  /** As it is planned; none: nobody declared it. */
  planned: z.string().optional(),
  namespace: z.string(),
  claim: z.string(),
  /** It has a volume, waits for one, or is not in the cluster. */
  state: z.enum(['bound', 'waits', 'absent']),
  bytes: z.number(),
  class: z.string().optional(),
  lies: z.array(z.string()),
  /** Its copies, as its driver tells them, and how many the class asks for. Times in milliseconds, by the clock of the cluster: for how long it has been so, and until it is whole. */
  copies: z.array(SeenCopy).optional(),
  wanted: Count.optional(),
  users: z.array(z.strictObject({ pod: z.string(), host: z.string().optional(), ready: z.boolean() })),
  why: z.string().optional(),
});
export type SeenVolume = z.infer<typeof SeenVolume>;
export const SeenVolumes = z.strictObject({
  at: Moment,
  volumes: z.array(SeenVolume),
  /** What runs there and is not declared, as a charter would say it. */
  undeclared: z.array(Workload),
});
export type SeenVolumes = z.infer<typeof SeenVolumes>;
/** The run, and the cluster in which it is. */
export const RestoreBegun = z.strictObject({ id: Count, cluster: z.string() });
export type RestoreBegun = z.infer<typeof RestoreBegun>;
export const BackupBegun = z.strictObject({ id: Count });
export type BackupBegun = z.infer<typeof BackupBegun>;
