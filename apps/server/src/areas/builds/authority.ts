import { createHash, X509Certificate } from 'node:crypto';
import type { SystemContents } from '@praesidor/core/files';
import type { Config } from '../../config.ts';
import type { Context } from '../../context.ts';
import { portOf } from '../../outside.ts';

/** Certificates that lie here are among what a Debian system trusts (update-ca-certificates(8)). */
const place = '/usr/local/share/ca-certificates/';

/** What machines check this server against, where they reach it over TLS and an authority is named. */
export const authorityOf = (config: Pick<Config, 'publicUrl' | 'urlAuthority'>): string | undefined =>
  config.publicUrl.startsWith('https:') ? config.urlAuthority : undefined;

/** What a system lacks to trust this server, in words; undefined: nothing. */
export function lacksAuthority(contents: SystemContents, authority: string | undefined): string | undefined {
  if (!authority) return undefined;
  const sha256 = createHash('sha256').update(authority).digest('hex');
  const there = contents.added.some((a) => a.path.startsWith(place) && a.path.endsWith('.crt') && a.sha256 === sha256);
  return there
    ? undefined
    : `no authority for this server among its own: --add ${place}kit.crt= with the file of PRAESIDOR_URL_CA`;
}

/** Asks this server as machines do, by the name and the authority that they are told. @returns what was seen @throws ProtocolError */
export async function askOverTls({ config, dialer }: Pick<Context, 'config' | 'dialer'>, signal: AbortSignal): Promise<string> {
  const url = new URL(config.publicUrl);
  const ca = authorityOf(config);
  const { body } = await dialer.ask(
    { purpose: 'own', host: url.hostname, port: portOf(url), tls: true, ...(ca ? { trust: { ca } } : {}) },
    { path: '/api/health', signal, timeoutMs: 5000 },
  );
  await body.dump();
  return ca
    ? `travels over TLS, checked against ${new X509Certificate(ca).subject.split('\n').join(', ')} (PRAESIDOR_URL_CA)`
    : 'travels over TLS, checked against the public authorities (PRAESIDOR_URL_CA is not set); firmware may not know them';
}
