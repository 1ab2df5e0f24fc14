import { z } from 'zod';
import { hostport, parseReference } from '../images/reference.ts';
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

/** Whether a text holds what no line of text has: control characters, line ends, halves of characters (UTF-16 surrogates). */
export const unprintable = (text: string): boolean => /[\p{Cc}\u2028\u2029]|\p{Surrogate}/u.test(text);
/** Text that a device told, as one printable line of at most so many characters. Nothing is refused: what cannot be printed becomes a blank. */
export const told = (text: string | null | undefined, most: number): string =>
  (text ?? '')
    .slice(0, most * 2)
    .replace(/[\p{Cc}\u2028\u2029]+|\p{Surrogate}/gu, ' ')
    .trim()
    .slice(0, most)
    .replace(/\p{Surrogate}/gu, '')
    .trim();
/** A line of text that somebody typed: printable, and one line, whatever file it ends in. */
export const Line = (most: number, least = 0) =>
  z
    .string()
    .min(least)
    .max(most)
    .refine((t) => !unprintable(t), 'one line of printable text');

/** Address of a proxy, without a password: a charter is read by many. */
export const ProxyUrl = z
  .url({ protocol: /^https?$/, error: 'an address such as http://proxy.example:3128' })
  .max(300)
  .refine(
    (t) => !/[@'"\\\s$%]/.test(t),
    'without a user, a password or quotation marks: an address such as http://proxy.example:3128',
  );
/** A destination that is reached without the proxy: a name, a domain that begins with a dot, an address or a prefix. */
export const ProxyExcept = z
  .string()
  .max(200)
  .regex(/^(\.?[a-z0-9]([a-z0-9.-]*[a-z0-9])?|[0-9a-f:.]+(\/\d{1,3})?)$/, 'a name, .a.domain, an address or a prefix');

/** A name of ours: lower-case letters, digits and inner hyphens, as a DNS label (RFC 1123). */
export const Name = z
  .string()
  .max(63, 'a name has at most 63 characters')
  .regex(/^[a-z0-9]([a-z0-9-]*[a-z0-9])?$/, 'a name is lower-case letters, digits and inner hyphens, such as lr-07');
/** Pages that stand beside those of single clusters and hosts: no cluster and no host can have such a name, or nobody could open its page. */
export const pagesBeside = {
  clusters: ['existing', 'new', 'stores', 'templates'],
  hosts: ['hypervisors', 'profiles', 'racks'],
} as const;
/** A name that has a page of its own in a space. */
export const NameIn = (space: keyof typeof pagesBeside) =>
  Name.refine((n) => !(pagesBeside[space] as readonly string[]).includes(n), {
    error: (issue) => `${issue.input} is the name of a page of this application: take another one`,
  });
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
/** A host by its name or address, and a port where it is not the usual one. IPv6 addresses stand in brackets (RFC 3986 §3.2.2). */
export const Hostport = z
  .string()
  .max(260)
  .refine((t) => hostport(t), 'host:port, such as registry.lr.kestrelferries.example:5000')
  .transform((t) => t.toLowerCase());
/** What stands in racks and zones: letters, digits and hyphens. */
export const Label = z
  .string()
  .regex(/^[A-Za-z0-9](?:[A-Za-z0-9-]{0,18}[A-Za-z0-9])?$/, 'letters, digits and inner hyphens, at most 20');
/** A network interface or bridge of Linux (IFNAMSIZ: 15 bytes). */
export const interfacePattern = /^(?!\.{1,2}$)[A-Za-z0-9][A-Za-z0-9._-]{0,14}$/;
export const InterfaceName = z
  .string()
  .regex(interfacePattern, 'an interface such as br400: letters, digits, dots and hyphens, at most 15');
/** Name of a file or of an image that a hypervisor has; no path. */
export const FileName = z
  .string()
  .regex(/^[A-Za-z0-9][A-Za-z0-9._-]{0,119}$/, 'a name such as node-base-12: letters, digits, dots, hyphens, no slashes');
/** Hours of a day in the site's zone; those that end before they begin go over midnight. */
export const Hours = z
  .string()
  .regex(/^([01]\d|2[0-3]):[0-5]\d-([01]\d|2[0-4]):[0-5]\d$/, 'hours such as 01:00-05:00')
  .refine((t) => !/-24:(?!00)/.test(t), 'a day ends at 24:00');
/** A zone of the IANA time zone database. */
export const TimeZone = z
  .string()
  .max(60)
  .refine((t) => {
    try {
      new Intl.DateTimeFormat('en', { timeZone: t });
      return /^[A-Za-z][A-Za-z0-9_+/-]*$/.test(t);
    } catch {
      return false;
    }
  }, 'a time zone such as Europe/Lisbon or UTC');
const keyTypes =
  /^(ssh-ed25519|ssh-rsa|ecdsa-sha2-nistp(256|384|521)|sk-ssh-ed25519@openssh\.com|sk-ecdsa-sha2-nistp256@openssh\.com)$/;
/** A public key as a line of `authorized_keys` (RFC 4253 §6.6): type, base64 that begins with that type, comment. No options. */
export const SshKey = Line(2000).refine((t) => {
  const [type = '', body = ''] = t.split(' ');
  if (!keyTypes.test(type) || !/^(?:[A-Za-z0-9+/]{4})*(?:[A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?$/.test(body)) return false;
  const bytes = atob(body);
  const length = [0, 1, 2, 3].reduce((n, i) => n * 256 + (bytes.charCodeAt(i) || 0), 0);
  return length === type.length && bytes.slice(4, 4 + length) === type && bytes.length > 4 + length + 16;
}, 'a public SSH key such as ssh-ed25519 AAAAC3… name');
/** Certificates in PEM (RFC 7468), one or more, and nothing else. */
export const Pem = z
  .string()
  .max(20_000)
  .regex(
    /^\s*(?:-----BEGIN CERTIFICATE-----\s+[A-Za-z0-9+/=\s]+-----END CERTIFICATE-----\s*)+$/,
    'certificates in PEM: -----BEGIN CERTIFICATE----- and so on',
  );
/** An image by its whole name. */
export const ImageRef = z
  .string()
  .max(500)
  .superRefine((text, ctx) => {
    try {
      parseReference(text);
    } catch (cause) {
      ctx.addIssue({ code: 'custom', message: (cause as Error).message });
    }
  });
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
/** Typed by people with any separator, line ends among them; kept as typed until somebody accepts how it was understood. */
export const ServerList = z.union([
  z.array(Line(100)).max(16),
  z
    .string()
    .max(1000)
    .refine((t) => !unprintable(t.replace(/[\r\n\t]/g, ' ')), 'printable text'),
]);
export const Arch = z.enum(['x86-64', 'arm64']);

const labelName = /^[A-Za-z0-9](?:[A-Za-z0-9._-]{0,61}[A-Za-z0-9])?$/;
/** Key of a label or a taint: a name, with a domain and a slash before it or without (Kubernetes, *Labels and Selectors*, syntax). */
const labelKey = (key: string): string | undefined => {
  const [name = '', domain, more] = key.split('/').reverse();
  if (more !== undefined || !labelName.test(name))
    return 'its key is letters, digits, dots, hyphens; a domain and a slash may stand before';
  if (
    domain !== undefined &&
    !(domain.length <= 253 && /^[a-z0-9]([a-z0-9-]*[a-z0-9])?(\.[a-z0-9]([a-z0-9-]*[a-z0-9])?)*$/.test(domain))
  )
    return 'what stands before the slash is a domain';
  return undefined;
};
const keyed = (text: string, ctx: z.RefinementCtx, example: string, rest: (value: string | undefined) => string | undefined) => {
  const cut = text.search(/[=:]/);
  const wrong = labelKey(cut < 0 ? text : text.slice(0, cut)) ?? rest(cut < 0 ? undefined : text.slice(cut));
  if (wrong) ctx.addIssue({ code: 'custom', message: `${wrong}; write it like ${example}` });
};
/** A label of a node: `disk=fast`, `example.org/line=bridge`. */
export const NodeLabel = Line(330).superRefine((text, ctx) =>
  keyed(text, ctx, 'disk=fast', (value) =>
    value === undefined || !(value === '=' || (value.startsWith('=') && labelName.test(value.slice(1))))
      ? 'a value stands behind =, at most 63 letters, digits, dots and hyphens'
      : undefined,
  ),
);
/** A taint of a node: `use=archive:NoSchedule`. */
export const NodeTaint = Line(350).superRefine((text, ctx) =>
  keyed(text, ctx, 'use=archive:NoSchedule', (value) =>
    /^(=[A-Za-z0-9]([A-Za-z0-9._-]{0,61}[A-Za-z0-9])?)?:(NoSchedule|PreferNoSchedule|NoExecute)$/.test(value ?? '')
      ? undefined
      : 'it ends in :NoSchedule, :PreferNoSchedule or :NoExecute',
  ),
);
