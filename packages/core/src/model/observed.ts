import { z } from 'zod';
import { Facts } from './facts.ts';
import { Arch, Digest, Instant } from './words.ts';

/** What is observed, each with its time: never declared, never edited. */
export const BillImage = z.strictObject({
  ref: z.string(),
  component: z.string(),
  on: z.string(),
  digest: Digest,
  manifests: z.array(Digest),
  blobs: z.array(Digest),
  /** The architectures that were walked, where a publication has several. */
  arch: z.array(Arch).optional(),
});
/**
 * A bill: every image by digest, every blob once. `bytes` is what moves and is verified; `declaredBytes` is the size
 * its publisher declares in an annotation where it differs (otherwise equal).
 */
export const Bill = z.strictObject({
  name: z.string(),
  at: Instant,
  images: z.array(BillImage),
  blobs: z.record(Digest, z.strictObject({ bytes: z.number(), declaredBytes: z.number() })),
});
export type Bill = z.infer<typeof Bill>;
export const SeenCertificate = z.strictObject({
  subject: z.string(),
  issuer: z.string(),
  names: z.array(z.string()),
  notBefore: z.string(),
  notAfter: z.string(),
  fingerprint: z.string(),
  trusted: z.boolean(),
});
export type SeenCertificate = z.infer<typeof SeenCertificate>;
/** The last time that every blob of a registry was read again. */
export const SeenScrub = z.strictObject({
  running: z.boolean(),
  done: z.number(),
  of: z.number(),
  bytes: z.number(),
  startedAt: z.string().optional(),
  endedAt: z.string().optional(),
  damaged: z.array(z.strictObject({ digest: z.string(), why: z.string() })),
  missing: z.array(z.strictObject({ digest: z.string(), repository: z.string() })),
});
export type SeenScrub = z.infer<typeof SeenScrub>;
/** A finding that somebody lives with: until a day, for a reason, as it was said then. */
export const Acceptance = z.strictObject({
  /** Identifier of the finding. */
  finding: z.string(),
  /** What it said: with other figures it is another matter. */
  text: z.string(),
  reason: z.string(),
  by: z.string(),
  at: z.string(),
  until: z.string(),
});
export type Acceptance = z.infer<typeof Acceptance>;
export const SeenRegistry = z.strictObject({
  at: z.string(),
  error: z.string().optional(),
  /** What kind of fault `error` tells, as the client of the protocol names it. */
  fault: z.string().optional(),
  certificate: SeenCertificate.optional(),
  digests: z.array(z.string()),
  /** How many digests it holds, where not all of them are told. */
  holds: z.number().int().nonnegative().optional(),
  /** Names it answers to, as repository:tag@digest; absent where only its digests are known. */
  names: z.array(z.string()).optional(),
  /** It tells no list of what it holds: what the bills name was asked for, all of it anew at that time. */
  askedAt: z.string().optional(),
  /** Bytes that it holds, and that it can still take in. */
  used: z.number().optional(),
  free: z.number().optional(),
  scrub: SeenScrub.optional(),
  /** What it shows was issued here, and is renewed from here: when it was last tried, and what went wrong then. */
  renews: z.strictObject({ tried: z.string().optional(), error: z.string().optional() }).optional(),
});
export type SeenRegistry = z.infer<typeof SeenRegistry>;
/** How many digests a registry was seen to hold. */
export const holdsCount = (seen: SeenRegistry | undefined): number => seen?.holds ?? seen?.digests.length ?? 0;
export const ServedRecord = z.strictObject({ name: z.string(), type: z.string(), ttl: z.number(), value: z.string() });
export type ServedRecord = z.infer<typeof ServedRecord>;
export const ServedZone = z.strictObject({
  at: z.string(),
  serial: z.number(),
  records: z.array(ServedRecord),
  error: z.string().optional(),
  fault: z.string().optional(),
});
export type ServedZone = z.infer<typeof ServedZone>;
/** What a hypervisor says of itself. */
export const SeenHypervisor = z.strictObject({
  at: z.string(),
  error: z.string().optional(),
  fault: z.string().optional(),
  cores: z.number(),
  memoryGiB: z.number(),
  freeGiB: z.number(),
  pools: z.array(z.strictObject({ name: z.string(), sizeGB: z.number(), freeGB: z.number() })),
  bridges: z.array(z.string()),
  images: z.array(z.string()),
  guests: z.array(
    z.strictObject({ name: z.string(), state: z.enum(['running', 'off']), vcpu: z.number(), memoryGiB: z.number() }),
  ),
});
export type SeenHypervisor = z.infer<typeof SeenHypervisor>;
/** A controller of a listed host that failed when it was asked last; one that answers is not kept. */
export const SeenController = z.strictObject({ at: z.string(), error: z.string(), fault: z.string() });
export type SeenController = z.infer<typeof SeenController>;
/** A standby copy: of when its volumes are, and whether it was activated. */
export const SeenStandby = z.strictObject({
  state: z.enum(['follows', 'active']),
  /** Of when the oldest of its volumes is; none holds nothing yet. */
  holds: z.string().optional(),
  /** Why it does not hold the newest backup, where the last try failed. */
  fault: z.string().optional(),
  /** When it was activated, by whom; and whether what ran at the other cluster was ended there. */
  since: z.string().optional(),
  by: z.string().optional(),
  ended: z.boolean().optional(),
});
export type SeenStandby = z.infer<typeof SeenStandby>;
/** Of a cluster: the newest backup of each volume that has one, and what its last test came to. */
export const SeenBackups = z.strictObject({
  volumes: z.record(
    z.string(),
    z.strictObject({
      at: z.string(),
      store: z.string(),
      tried: z.strictObject({ at: z.string(), good: z.boolean(), text: z.string() }).optional(),
    }),
  ),
  /** Standby copies that it keeps, by workload. */
  standbys: z.record(z.string(), SeenStandby).optional(),
});
export type SeenBackups = z.infer<typeof SeenBackups>;
/** From when to when, in milliseconds after a loss. */
const LossSpan = z.strictObject({ from: z.number(), to: z.number() });
/** A loss that was tried: what came when, by the clock of the cluster, beside what was rehearsed. */
export const TriedLoss = z.strictObject({
  at: z.string(),
  by: z.string(),
  lines: z.array(
    z.strictObject({
      /** It counts as lost; a workload has all its pods again; an address answers again; volumes have all their copies again. */
      what: z.enum(['counted', 'work', 'address', 'copies']),
      name: z.string(),
      text: z.string(),
      /** Rehearsed, and measured; none: never, and not while it was looked at. */
      is: LossSpan.optional(),
      came: LossSpan.optional(),
      agrees: z.boolean(),
    }),
  ),
  /** What was not looked at, with why. */
  without: z.array(z.string()),
  /** Until it was ready again, from when it was switched on; milliseconds. */
  back: z.number().optional(),
});
export type TriedLoss = z.infer<typeof TriedLoss>;
/** Of a cluster: each loss that was tried, the last time, by what was lost as the rehearsal calls it. */
export const SeenLosses = z.strictObject({ cases: z.record(z.string(), TriedLoss) });
export type SeenLosses = z.infer<typeof SeenLosses>;
/** Of a site where another installation stands: which one, and the last bundle of it that was taken in here. */
export const Heard = z.strictObject({
  installation: z.string(),
  bundle: z.strictObject({ number: z.number(), made: z.string() }).optional(),
});
export type Heard = z.infer<typeof Heard>;
/** What answers at an address of a management network. */
export const Sighting = z.strictObject({
  address: z.string(),
  site: z.string(),
  at: z.string(),
  fingerprint: z.string(),
  accepted: z.boolean(),
  error: z.string().optional(),
  facts: Facts.optional(),
  place: z.strictObject({ name: z.string().optional(), rack: z.string().optional(), unit: z.number().optional() }).optional(),
});
export type Sighting = z.infer<typeof Sighting>;
