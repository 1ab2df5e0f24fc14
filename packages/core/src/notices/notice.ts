import { z } from 'zod';
import { Hostport, Line, Name, Pem } from '../model/words.ts';

/** What is told: changes that ended well, steps that failed, what is not as it was proved any more, what waits for a second person; or every act on record. */
export const NoticeAbout = z.enum(['ended', 'failed', 'drift', 'approval', 'record']);
export type NoticeAbout = z.infer<typeof NoticeAbout>;

/** A mail address as one is typed (RFC 5321 4.1.2, without quoted parts). */
const Mail = z
  .string()
  .max(254)
  .regex(/^[A-Za-z0-9.!#$%&'*+/=?^_`{|}~-]{1,64}@[A-Za-z0-9-]+(\.[A-Za-z0-9-]+)*$/, 'an address such as team@example.example');

/** Whom to tell of what, by a webhook, by mail or by syslog. Of this installation, and no part of the plan. */
export const Notice = z
  .strictObject({
    name: Name,
    about: z.array(NoticeAbout).min(1).max(5),
    /** Sites of which it is told; without them of all, and of what belongs to none. */
    sites: z.array(Name).max(500).optional(),
    /** JSON by POST; the keyring entry, where there is one, is sent as a bearer token (RFC 6750). */
    webhook: z
      .strictObject({
        url: z.url({ protocol: /^https?$/, error: 'an address such as https://hook.example/praesidor' }).max(500),
        credential: Name.optional(),
        ca: Pem.optional(),
      })
      .optional(),
    /** SMTP (RFC 5321); over TLS from the first byte, by STARTTLS (RFC 3207), or in the clear. */
    mail: z
      .strictObject({
        server: Hostport,
        security: z.enum(['tls', 'starttls', 'none']),
        from: Mail,
        to: z.array(Mail).min(1).max(50),
        credential: Name.optional(),
        ca: Pem.optional(),
      })
      .optional(),
    /** RFC 5424, over TLS (RFC 5425), TCP (RFC 6587) or UDP (RFC 5426). */
    syslog: z.strictObject({ server: Hostport, over: z.enum(['tls', 'tcp', 'udp']), ca: Pem.optional() }).optional(),
    note: Line(200).optional(),
  })
  .superRefine((n, ctx) => {
    const wrong = (path: string[], message: string) => ctx.addIssue({ code: 'custom', path, message });
    if ([n.webhook, n.mail, n.syslog].filter(Boolean).length !== 1) wrong(['name'], 'it goes one way: webhook, mail or syslog');
    const unsigned = 'the authority that its certificate is checked against';
    if (n.webhook?.url.startsWith('https:') && !n.webhook.ca) wrong(['webhook', 'ca'], unsigned);
    if (n.mail && n.mail.security !== 'none' && !n.mail.ca) wrong(['mail', 'ca'], unsigned);
    if (n.syslog?.over === 'tls' && !n.syslog.ca) wrong(['syslog', 'ca'], unsigned);
    if (n.mail?.security === 'none' && n.mail.credential) wrong(['mail', 'credential'], 'a password is not sent in the clear');
    if (n.webhook?.credential && n.webhook.url.startsWith('http:'))
      wrong(['webhook', 'credential'], 'a token is not sent in the clear');
  });
export type Notice = z.infer<typeof Notice>;

/** Where a notice goes: host and port, and the authority that it is checked against; `tls` from the first byte. */
export function wayOf({ webhook, mail, syslog }: Notice): { host: string; port: number; tls: boolean; ca: string | undefined } {
  if (webhook) {
    const u = new URL(webhook.url);
    const tls = u.protocol === 'https:';
    return { host: u.hostname.replace(/^\[|\]$/g, ''), port: Number(u.port || (tls ? 443 : 80)), tls, ca: webhook.ca };
  }
  const { server = '', ca } = mail ?? syslog ?? {};
  const at = /^\[?([^\]]+?)\]?(?::(\d+))?$/.exec(server);
  const tls = mail?.security === 'tls' || syslog?.over === 'tls';
  const usual = mail ? (tls ? 465 : mail.security === 'starttls' ? 587 : 25) : tls ? 6514 : 514;
  return { host: at?.[1] ?? server, port: Number(at?.[2] ?? usual), tls, ca };
}

/** An act on record, as it is told of. */
export interface Act {
  id: number;
  /** ISO 8601. */
  at: string;
  who: string;
  act: string;
  subject: string;
  detail: Record<string, unknown>;
  about?: NoticeAbout | undefined;
  site?: string | undefined;
}

/** Whether somebody is told of an act. */
export const wants = (n: Pick<Notice, 'about' | 'sites'>, a: Pick<Act, 'about' | 'site'>): boolean =>
  (n.about.includes('record') || (a.about !== undefined && n.about.includes(a.about))) &&
  (!n.sites?.length || (a.site !== undefined && n.sites.includes(a.site)));
