import { z } from 'zod';
import { formatIp, formatPrefix, formatRange, parseIp, parsePrefix, parseRange } from '../address/parse.ts';

/** The smallest pieces of the model: one line of text each, with the message a person sees when it is wrong. */

const judged = (judge: (text: string) => unknown, example: string) =>
  z
    .string()
    .max(200)
    .superRefine((text, ctx) => {
      try {
        judge(text);
      } catch (cause) {
        ctx.addIssue({ code: 'custom', message: `${(cause as Error).message}; write it like ${example}` });
      }
    });

/** A name of ours: lower-case letters, digits and inner hyphens, as a DNS label (RFC 1123). */
export const Name = z
  .string()
  .max(63, 'a name has at most 63 characters')
  .regex(/^[a-z0-9]([a-z0-9-]*[a-z0-9])?$/, 'a name is lower-case letters, digits and inner hyphens, such as lr-07');
/** Release and add-on names may carry dots: 1.34.2. */
export const VersionName = z
  .string()
  .max(63)
  .regex(/^[a-z0-9]([a-z0-9.-]*[a-z0-9])?$/, 'letters, digits, dots and inner hyphens, such as 1.34.2');
/** Addresses, prefixes and ranges are kept in one way of writing each, so that the same is the same text everywhere. */
export const Ip = judged(parseIp, '10.62.8.20').transform((t) => formatIp(parseIp(t)));
export const Cidr = judged(parsePrefix, '10.62.8.0/25').transform((t) => formatPrefix(parsePrefix(t)));
export const RangeText = judged(parseRange, '10.62.8.96-10.62.8.111').transform((t) => formatRange(parseRange(t)));
export const Mac = z
  .string()
  .regex(/^([0-9a-f]{2}:){5}[0-9a-f]{2}$/i, 'a MAC is six pairs of hex digits, such as 52:8a:1c:40:02:11')
  .transform((m) => m.toLowerCase());
export const Fqdn = z
  .string()
  .max(253)
  .regex(
    /^(\*\.)?([a-z0-9_]([a-z0-9_-]{0,61}[a-z0-9])?\.)*[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?$/i,
    'a DNS name has labels of letters, digits and hyphens between dots',
  )
  .transform((n) => n.toLowerCase());
/** The owner of a record: absolute or within its zone, `@` for the zone itself, underscores for services (RFC 2782). */
export const RecordName = z
  .string()
  .max(253)
  .regex(
    /^(@|(\*\.|\*$)?([a-z0-9_]([a-z0-9_-]{0,61}[a-z0-9])?(\.|$))*)$/i,
    'a name in the zone, such as www, *.in, _kube._tcp or @ for the zone itself',
  )
  .transform((n) => n.toLowerCase().replace(/\.$/, ''));
export const Hostport = z
  .string()
  .max(260)
  .regex(/^[a-z0-9.-]+(:\d{1,5})?$/i, 'host:port, such as registry.lr.kestrelferries.example:5000');
/** What image names begin with: a registry, and a path below it where not all of it is meant. */
export const ImagePrefix = z
  .string()
  .max(300)
  .regex(
    /^(?=[^/]*[.:])[a-z0-9.-]+(:\d{1,5})?(\/[a-z0-9]+([._-]+[a-z0-9]+)*)*$/,
    'a registry, and a path where not all of it is meant, such as images.upstream.example/core',
  );
export const RepositoryPath = z
  .string()
  .max(200)
  .regex(/^[a-z0-9]+([._/-]+[a-z0-9]+)*$/, 'a path of lower-case letters, digits and separators, such as mirrored/core');
export const Instant = z.iso.datetime({ offset: true });
export const Digest = z.string().regex(/^sha256:[0-9a-f]{64}$/, 'sha256: and 64 hex digits');
/** Typed by people with any separator; kept as typed until somebody accepts how it was understood. */
export const ServerList = z.union([z.array(z.string().max(100)).max(16), z.string().max(1000)]);
export const Arch = z.enum(['x86-64', 'arm64']);
