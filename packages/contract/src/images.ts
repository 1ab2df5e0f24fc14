import { LandingChange, PullStep, Retention, WouldPull } from '@praesidor/core/images';
import { SeenCertificate, SeenRegistry, SeenScrub } from '@praesidor/core/model';
import { z } from 'zod';
import { Count, Moment } from './parts.ts';

const BadFile = z.strictObject({ path: z.string(), why: z.string() });
export const Case = z.strictObject({
  number: Count,
  bytes: z.number(),
  state: z.enum(['planned', 'packed', 'awaited', 'waiting', 'landing', 'landed', 'damaged']),
  bad: z.array(BadFile),
  landedAt: Moment.nullable(),
});
export type Case = z.infer<typeof Case>;
export const Shipment = z.strictObject({
  id: Count,
  label: z.string(),
  source: z.string(),
  target: z.string(),
  way: z.enum(['case', 'link', 'fast-link']),
  bills: z.array(z.string()),
  state: z.enum([
    'planned',
    'queued',
    'packing',
    'packed',
    'landing',
    'moving',
    'waiting',
    'short',
    'landed',
    'failed',
    'stopped',
  ]),
  phase: z.string(),
  error: z.string().nullable(),
  /** What kind of fault that is, and the registry that it is of. */
  fault: z.string().nullable(),
  faultAt: z.string().nullable(),
  /** Bytes that move, and the sizes that their publisher declares. */
  bytes: z.number(),
  declaredBytes: z.number(),
  movedBytes: z.number(),
  rate: z.number(),
  resumed: Count,
  /** Digests of blobs that arrived with other bytes and were sent again. */
  wrong: z.array(z.string()),
  startedAt: Moment.nullable(),
  endedAt: Moment.nullable(),
  createdAt: Moment,
  createdBy: z.string(),
  after: z.string().nullable(),
  resumeAt: Moment.nullable(),
  runBy: z.string().nullable(),
  caseBytes: z.number().nullable(),
  /** Why it is not landed before a builder has accepted it; null: it is verified. */
  unverified: z.string().nullable(),
  acceptedBy: z.string().nullable(),
});
export const ShipmentWithCases = Shipment.extend({ cases: z.array(Case) });
export type Shipment = z.infer<typeof ShipmentWithCases>;
export const Shipments = z.strictObject({ shipments: z.array(ShipmentWithCases) });
export const ShipmentPlanned = z.strictObject({ shipment: Shipment });
export const ChainPlanned = z.strictObject({ shipments: z.array(Shipment) });
export const CaseArrived = z.strictObject({
  label: z.string(),
  number: Count,
  of: Count,
  bad: z.array(BadFile),
  unverified: z.string().nullable(),
});
export const WouldChange = z.strictObject({
  unverified: z.string().nullable(),
  acceptedBy: z.string().nullable(),
  changes: z.array(LandingChange),
});

export const Installation = z.strictObject({
  name: z.string(),
  key: z.string(),
  own: z.boolean(),
  addedAt: Moment.nullable(),
  addedBy: z.string().nullable(),
  fingerprint: z.string(),
});
export type Installation = z.infer<typeof Installation>;
export const Installations = z.strictObject({ installations: z.array(Installation) });

export const RegistrySeen = z.strictObject({
  seen: z.strictObject({
    at: z.string(),
    error: z.string().optional(),
    fault: z.string().optional(),
    certificate: SeenCertificate.optional(),
    names: z.array(z.string()).optional(),
    /** How many digests it holds whole. */
    held: Count,
    askedAt: z.string().optional(),
    used: z.number().optional(),
    free: z.number().optional(),
    scrub: SeenRegistry.shape.scrub,
    renews: SeenRegistry.shape.renews,
  }),
});
export type Scrub = SeenScrub;
export const ScrubOf = z.strictObject({ scrub: SeenScrub.nullish() });
/** Bills that stay and why, bills that can be deleted, tags and bytes that go with them. */
export const Deletable = Retention;
export const ImagesDeleted = z.strictObject({ names: Count, blobs: Count, bytes: z.number() });

export const PublishedDocument = z.strictObject({
  name: z.string(),
  kind: z.enum(['Release', 'Addon']),
  version: z.string(),
  components: Count,
  state: z.enum(['new', 'same', 'differs']),
});
export type PublishedDocument = z.infer<typeof PublishedDocument>;
export const PublishedList = z.strictObject({ published: z.array(PublishedDocument), faults: z.array(z.string()) });
export const DocumentsTaken = z.strictObject({ taken: z.array(z.string()), act: Count });

export type RegistryKit = z.infer<typeof RegistryKit>;
export const RegistryKit = z.strictObject({
  id: z.string(),
  bytes: z.number(),
  sha256: z.string(),
  until: z.string(),
  /** Shown in this answer, and never again. */
  credentials: z.array(z.strictObject({ user: z.string(), password: z.string(), writes: z.boolean() })),
  keeps: z.string().optional(),
  act: Count,
});
export const Trust = z.strictObject({
  anchors: z.array(z.strictObject({ subject: z.string(), until: z.string(), needed: z.boolean() })),
  tidied: z.string(),
  clusters: z.array(z.strictObject({ charter: z.string(), hosts: Count, has: z.boolean().optional() })),
  renews: z.boolean(),
  authority: z
    .strictObject({ subject: z.string(), until: z.string(), origin: z.enum(['made', 'imported']), trusted: z.boolean() })
    .optional(),
  request: z.strictObject({ at: Moment, by: z.string(), request: z.string() }).optional(),
});
export type Trust = z.infer<typeof Trust>;
export const AuthorityTrusted = z.strictObject({ subject: z.string(), act: Count });
export type CertificateMade = z.infer<typeof CertificateMade>;
export const CertificateMade = z.strictObject({
  until: z.string(),
  fingerprint: z.string(),
  files: z.strictObject({ cert: z.string(), key: z.string() }).optional(),
});
export const SigningRequest = z.strictObject({ request: z.string(), at: Moment, by: z.string() });

/** A pull that did not come from a mirror, or that a mirror refused. */
const PullElsewhere = z.strictObject({
  host: z.string(),
  registry: z.string(),
  image: z.string(),
  at: Moment,
});
export type Pulls = z.infer<typeof Pulls>;
export const Pulls = z.strictObject({
  over: z.array(z.strictObject({ at: Moment, inside: Count, outside: Count })),
  hosts: z.array(z.strictObject({ host: z.string(), registry: z.string(), images: Count, last: Moment })),
  images: z.array(z.strictObject({ image: z.string(), hosts: Count, last: Moment })),
  outside: z.array(PullElsewhere),
  missed: z.array(PullElsewhere.extend({ times: Count })),
  total: Count,
});
export const Readers = z.strictObject({
  since: Moment.nullable(),
  pulls: Count,
  hosts: z.array(z.strictObject({ host: z.string(), pulls: Count, last: Moment })),
});
export const PullsAdded = z.strictObject({ added: Count });
export const Where = z.strictObject({
  would: WouldPull,
  measured: z.array(PullStep.extend({ ms: z.number() })).nullable(),
});
