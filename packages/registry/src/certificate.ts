import { createPrivateKey, randomUUID, X509Certificate } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { mkdir, rename } from 'node:fs/promises';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { dirname, join } from 'node:path';
import { DEFAULT_CIPHERS } from 'node:tls';
import { FolderSync, writeSynced } from './disk.ts';
import { json, refuse, type Running } from './running.ts';

export interface Pair {
  key: string;
  cert: string;
}

/** The usual ones, the one with the shorter key first: it is as good here, and costs a quarter less for every byte. */
const ciphers = ['TLS_AES_128_GCM_SHA256', DEFAULT_CIPHERS].join(':');
/** How a pair is shown. */
export const tlsOf = ({ key, cert }: Pair) => ({ key, cert, minVersion: 'TLSv1.2' as const, ciphers });

const namesOf = (c: X509Certificate) => (c.subjectAltName ?? '').split(', ').filter(Boolean);

/**
 * Why a pair may not take the place of the one that is shown; undefined: it may. It must be whole and good now, and name
 * something that the present one names: otherwise it is another registry's. Who signed it is for clients to judge.
 */
export function pairFault(next: Pair, now: Pair | undefined, at: Date): string | undefined {
  let cert: X509Certificate;
  try {
    cert = new X509Certificate(next.cert);
    if (!cert.checkPrivateKey(createPrivateKey(next.key))) return 'the key belongs to another certificate';
  } catch (e) {
    return `it cannot be read: ${(e as Error).message}`;
  }
  if (new Date(cert.validTo) <= at) return `it ended on ${new Date(cert.validTo).toISOString().slice(0, 10)}`;
  if (new Date(cert.validFrom) > at) return `it begins only on ${new Date(cert.validFrom).toISOString().slice(0, 10)}`;
  const names = namesOf(cert);
  const present = now ? namesOf(new X509Certificate(now.cert)) : [];
  return present.length && !present.some((n) => names.includes(n))
    ? `it is another registry's: it names nothing of ${present.map((n) => n.replace(/^(DNS|IP Address):/, '')).join(', ')}`
    : undefined;
}

/**
 * The pair that a registry shows: what its configuration names, or what was handed over since, whichever was issued last.
 * What is handed over lies in one file, so that key and certificate are never of two kinds.
 */
export class ShownPair {
  private readonly file: string;
  private readonly folders = new FolderSync();
  constructor(
    private readonly given: () => Pair,
    dir: string,
  ) {
    this.file = join(dir, 'tls/pair.json');
  }

  read(): Pair {
    const given = this.given();
    try {
      const handed = JSON.parse(readFileSync(this.file, 'utf8')) as Pair;
      const from = (p: Pair) => new Date(new X509Certificate(p.cert).validFrom).getTime();
      return from(handed) > from(given) ? handed : given;
    } catch {
      return given;
    }
  }

  async keep(pair: Pair): Promise<void> {
    await mkdir(dirname(this.file), { recursive: true, mode: 0o700 });
    const beside = `${this.file}.${randomUUID()}`;
    await writeSynced(beside, JSON.stringify(pair), 0o600);
    await rename(beside, this.file);
    await this.folders.of(dirname(this.file));
  }
}

/** Takes a new certificate with its key over the connection that the old one protects, and shows it from then on. */
export async function takeCertificate(o: Running, req: IncomingMessage, res: ServerResponse): Promise<void> {
  if (!o.takePair || !o.tls) return refuse(res, 404, 'UNSUPPORTED', 'the certificate of this registry is laid by hand');
  const chunks: Buffer[] = [];
  let size = 0;
  for await (const c of req) {
    size += (c as Buffer).length;
    if (size > 200_000) return refuse(res, 413, 'SIZE_INVALID', 'a certificate with its chain and key has at most 200 kB');
    chunks.push(c as Buffer);
  }
  let next: Pair;
  try {
    const { key, cert } = JSON.parse(Buffer.concat(chunks).toString('utf8')) as Partial<Pair>;
    if (typeof key !== 'string' || typeof cert !== 'string') throw new Error();
    next = { key, cert };
  } catch {
    return refuse(res, 400, 'UNSUPPORTED', 'a certificate is handed over as JSON with cert and key');
  }
  const fault = pairFault(next, o.tls, o.now?.() ?? new Date());
  if (fault) return refuse(res, 400, 'DENIED', `the certificate was not taken: ${fault}`);
  await o.takePair(next);
  o.tls = next;
  o.show?.(next);
  json(res, { fingerprint: new X509Certificate(next.cert).fingerprint256 });
}
