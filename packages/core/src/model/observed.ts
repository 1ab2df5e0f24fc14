import { z } from 'zod';
import type { Facts } from './facts.ts';
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
 * A bill: every image by digest, every blob once. `bytes` is what moves and is verified; `paper` is the size
 * its publisher declares in an annotation where it differs (otherwise equal).
 */
export const Bill = z.strictObject({
  name: z.string(),
  at: Instant,
  images: z.array(BillImage),
  blobs: z.record(Digest, z.strictObject({ bytes: z.number(), paper: z.number() })),
});
export type Bill = z.infer<typeof Bill>;
export interface SeenCertificate {
  subject: string;
  issuer: string;
  names: string[];
  notBefore: string;
  notAfter: string;
  fingerprint: string;
  trusted: boolean;
}
export interface SeenRegistry {
  at: string;
  error?: string;
  certificate?: SeenCertificate;
  digests: string[];
  /** Names it answers to, as repository:tag@digest; absent where only its digests are known. */
  names?: string[];
  /** It tells no list of what it holds: what the bills name was asked for, all of it anew at that time. */
  askedAt?: string;
  /** Bytes that it holds, and that it can still take in. */
  used?: number;
  free?: number;
  /** The last time that every blob was read again. */
  scrub?: SeenScrub;
  /** What it shows was issued here, and is renewed from here: when it was last tried, and what went wrong then. */
  renews?: { tried?: string; error?: string };
}
export interface SeenScrub {
  running: boolean;
  done: number;
  of: number;
  bytes: number;
  startedAt?: string;
  endedAt?: string;
  damaged: { digest: string; why: string }[];
  missing: { digest: string; repository: string }[];
}
export interface ServedRecord {
  name: string;
  type: string;
  ttl: number;
  value: string;
}
export interface ServedZone {
  at: string;
  serial: number;
  records: ServedRecord[];
  error?: string;
}
/** What a hypervisor says of itself. */
export interface SeenHypervisor {
  at: string;
  error?: string;
  cores: number;
  memoryGiB: number;
  freeGiB: number;
  pools: { name: string; sizeGB: number; freeGB: number }[];
  bridges: string[];
  images: string[];
  guests: { name: string; state: 'running' | 'off'; vcpu: number; memoryGiB: number }[];
}
export interface Sighting {
  address: string;
  site: string;
  at: string;
  fingerprint: string;
  accepted: boolean;
  error?: string;
  facts?: Facts;
  place?: { name?: string; rack?: string; unit?: number };
}
