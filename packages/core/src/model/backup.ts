import { Cron as Times } from 'croner';
import { z } from 'zod';
import { doc } from './doc.ts';
import { Fqdn, Hostport, Ip, Label, Line, Name, Pem } from './words.ts';

/** Whether a text says times as crontab(5) does: minute, hour, day of the month, month, day of the week. */
export function isCron(text: string): boolean {
  try {
    return text.trim().split(/\s+/).length === 5 && Boolean(new Times(text, { paused: true, mode: '5-part' }));
  } catch {
    return false;
  }
}
export const Cron = z
  .string()
  .max(80)
  .refine(isCron, 'five fields: minute, hour, day of the month, month, day of the week; such as 0 2 * * *');

const Bucket = z
  .string()
  .regex(/^[a-z0-9][a-z0-9.-]{1,61}[a-z0-9]$/, 'a bucket is lower-case letters, digits, dots and hyphens, 3 to 63 long');

/** How backups lie there: as objects of a store that speaks the S3 protocol, or as files of an NFS export. */
export const backupStoreKinds = ['objects', 'nfs'] as const;

/** Where backups of volumes go. */
export const BackupStore = doc('BackupStore', {
  name: Name,
  site: Name,
  title: Line(80).default(''),
  as: z.enum(backupStoreKinds).default('objects'),
  /** Of an object store: it is asked over HTTPS, with the bucket in the path. */
  endpoint: Hostport.optional(),
  bucket: Bucket.optional(),
  region: Line(40).optional(),
  credential: Name.optional(),
  /** Trust anchors in PEM for its certificate. */
  ca: Pem.optional(),
  /** Of an export: the server, and the path. */
  server: z.union([Ip, Fqdn]).optional(),
  path: z
    .string()
    .max(200)
    .regex(/^\/[A-Za-z0-9._/-]*$/, 'a path from the root, such as /export/backups')
    .optional(),
  /** Entry of the keyring whose content encrypts what lies there. */
  key: Name,
  /** What may lie there, in GB, and how quickly it gives and takes. */
  sizeGB: z.number().int().min(1).max(10_000_000).optional(),
  rateMbit: z.number().positive().max(1e6).optional(),
  /** The host that it runs on, where that is one of the estate. */
  host: Name.optional(),
}).superRefine((s, ctx) => {
  const wrong = (path: string, message: string) => ctx.addIssue({ code: 'custom', path: [path], message });
  const needs = { objects: ['endpoint', 'bucket', 'credential'], nfs: ['server', 'path'] } as const;
  const what = { objects: 'an object store', nfs: 'an NFS export' } as const;
  for (const as of backupStoreKinds)
    for (const field of needs[as]) {
      if (s.as === as && s[field] === undefined) wrong(field, `${what[as]} has it`);
      if (s.as !== as && s[field] !== undefined) wrong(field, `only ${what[as]} has it`);
    }
});
export type BackupStore = z.infer<typeof BackupStore>;

/** How long backups are kept: the newest ones, and those that are young; what either keeps stays. */
export const Keep = z
  .strictObject({
    last: z.number().int().min(1).max(1000).optional(),
    days: z.number().int().min(1).max(3650).optional(),
  })
  .refine((k) => k.last !== undefined || k.days !== undefined, 'how many are kept, or for how many days');
export type Keep = z.infer<typeof Keep>;

/** A volume of a workload: `ais-store/data`. */
export const VolumeOf = z
  .string()
  .max(130)
  .regex(/^[a-z0-9]([a-z0-9-]*[a-z0-9])?\/[a-z0-9]([a-z0-9-]*[a-z0-9])?$/, 'a workload and its volume, such as ais-store/data');

/** A plan by which volumes of a cluster are backed up. */
export const Backup = z.strictObject({
  name: Label,
  /** Which volumes; without it those of every workload that no other plan names. */
  volumes: z.array(VolumeOf).min(1).max(2000).optional(),
  store: Name,
  /** When, in the time zone of the cluster's site. */
  at: Cron,
  keep: Keep,
  /** When the newest one is restored beside the volume and held against what was sent. */
  trial: Cron.optional(),
});
export type Backup = z.infer<typeof Backup>;

/** A workload whose volumes are kept in this cluster as well, from backups of another one, until it is activated here. */
export const Standby = z.strictObject({
  /** The workload of this cluster; it has no pods while its volumes follow. */
  workload: Label,
  /** Where it runs, and what it is called there. */
  cluster: Name,
  of: Label,
  /** How old what its volumes hold may be, in seconds. */
  mayLag: z.number().int().min(60).max(31_536_000).optional(),
});
export type Standby = z.infer<typeof Standby>;
