import { request } from 'node:https';
import { rootCertificates } from 'node:tls';
import { Readable } from 'node:stream';

/** What a machine asks: over TLS it checks the server against authorities, as whoever made it left them, and those it was given. */
export function ask(
  url: string,
  o: {
    method?: string;
    headers?: Record<string, string>;
    body?: Buffer | URLSearchParams;
    signal: AbortSignal;
    /** Authorities in PEM besides the public ones; `anybody`: it does not check. */
    trust?: readonly string[] | 'anybody';
  },
): Promise<Response> {
  const { trust = [], ...asked } = o;
  if (!url.startsWith('https:')) return fetch(url, asked as RequestInit);
  return new Promise((done, failed) => {
    const r = request(
      url,
      {
        method: o.method ?? 'GET',
        headers: o.headers ?? {},
        signal: o.signal,
        agent: false,
        ...(trust === 'anybody' ? { rejectUnauthorized: false } : { ca: [...rootCertificates, ...trust] }),
      },
      (res) =>
        done(
          new Response(o.method === 'HEAD' ? null : (Readable.toWeb(res) as unknown as BodyInit), {
            status: res.statusCode ?? 500,
            headers: Object.entries(res.headers).map(([k, v]) => [k, String(v)]) as [string, string][],
          }),
        ),
    );
    r.on('error', failed).end(o.body instanceof URLSearchParams ? String(o.body) : o.body);
  });
}

/** Authorities that a small system has among its own: certificates as they stand in its initial file system. */
export const authoritiesIn = (initrd: Buffer): string[] =>
  initrd.toString('latin1').match(/-----BEGIN CERTIFICATE-----[\w+/=\s]+-----END CERTIFICATE-----/g) ?? [];
