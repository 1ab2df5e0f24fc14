import { z } from 'zod';
import { Instant, Line, Name } from '../model/words.ts';

/** Where a bundle may be read at all: so large, and so many files of it. */
export const bundleLimits = { bytes: 400_000_000, files: 20_000 } as const;
export const bundleFile = { manifest: 'bundle.json', documents: 'documents.yaml', observed: 'observed.json' } as const;
/** An Ed25519 public key (RFC 8032), raw, in base64. */
export const PublicKey = z.string().regex(/^[A-Za-z0-9+/]{43}=$/, 'a public key: 32 bytes in base64');
/** A change of a cluster whose evidence is in the bundle. */
export const CarriedChange = z.strictObject({
  charter: Name,
  number: z.number().int().min(1),
  title: Line(200),
  state: Line(40),
  by: Line(80),
  begun: Instant.optional(),
  ended: Instant.optional(),
  /** Lines of its proof that hold, of all. */
  holds: z.number().int().nonnegative(),
  of: z.number().int().nonnegative(),
  /** Where in the bundle its evidence is: an archive (tar, gzip). */
  file: z.string().regex(/^changes\/[a-z0-9-]{1,80}\.tar\.gz$/),
});
export type CarriedChange = z.infer<typeof CarriedChange>;

/**
 * What a bundle says of itself: the signed part of an estate that travels to another installation, or what comes home from it. The
 * signature is over this file, byte for byte, and it names every other file by its digest.
 */
export const BundleManifest = z.strictObject({
  apiVersion: z.literal('praesidor/v1'),
  kind: z.literal('BundleManifest'),
  /** Of those from one installation to another, from 1 on. */
  number: z.number().int().min(1).max(1_000_000_000),
  made: Instant,
  by: Line(80),
  /** The installation that it is for, by its key. */
  to: PublicKey,
  sites: z.array(Name).min(1).max(10_000),
  /** Position of the last event in the record that the plan includes. */
  revision: z.number().int().nonnegative(),
  /** The last bundle of the other installation that was taken in before this one was made; 0: none. */
  taken: z.number().int().nonnegative(),
  files: z
    .array(
      z.strictObject({
        path: z.string().regex(/^[a-z0-9][a-z0-9./-]{0,150}$/),
        bytes: z.number().int().nonnegative(),
        sha256: z.string().regex(/^[0-9a-f]{64}$/),
      }),
    )
    .max(bundleLimits.files),
  changes: z.array(CarriedChange).max(10_000).default([]),
});
export type BundleManifest = z.infer<typeof BundleManifest>;
