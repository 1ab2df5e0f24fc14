import { createPrivateKey, X509Certificate } from 'node:crypto';
import type { EntityManager } from 'typeorm';
import type { PlannedCertificate } from '@praesidor/core/charter';
import { seal, unseal } from '../../auth/seal.ts';
import type { Config } from '../../config.ts';
import { algorithmOf, issue } from '../clusters/pki.ts';

/** An authority that signs a registry's certificates, with its key; `issued`: the fingerprint of the last one it signed. */
export interface Authority {
  cert: string;
  key: string;
  origin: 'made' | 'imported';
  issued?: string;
}
const owner = (registry: string) => `registry ${registry}`;
const bound = (registry: string, what: string) => `registry ${registry} ${what}`;

/** The authority that this installation holds for a registry; undefined: none. */
export async function authorityOf(config: Config, m: EntityManager, registry: string): Promise<Authority | undefined> {
  const rows = (await m.query('select name, sealed, about from cluster_secret where charter = $1', [owner(registry)])) as {
    name: string;
    sealed: Buffer;
    about: { origin?: Authority['origin']; issued?: string };
  }[];
  const open = (name: string) => {
    const row = rows.find((r) => r.name === name);
    return row && unseal(config.keyringKey, row.sealed, bound(registry, name));
  };
  const [cert, key] = [open('ca.crt'), open('ca.key')];
  const about = rows.find((r) => r.name === 'ca.crt')?.about;
  if (!cert || !key) return undefined;
  return { cert, key, origin: about?.origin ?? 'made', ...(about?.issued ? { issued: about.issued } : {}) };
}

/** Keeps an authority sealed, in the place of one that was held before. */
export async function keepAuthority(config: Config, m: EntityManager, registry: string, a: Authority): Promise<void> {
  const about = { origin: a.origin, ...(a.issued ? { issued: a.issued } : {}) };
  for (const [name, text] of [
    ['ca.crt', a.cert],
    ['ca.key', a.key],
  ] as const)
    await m.query(
      'insert into cluster_secret (charter, name, sealed, about) values ($1, $2, $3, $4) on conflict (charter, name) do update set sealed = excluded.sealed, about = excluded.about',
      [owner(registry), name, seal(config.keyringKey, text, bound(registry, name)), JSON.stringify(about)],
    );
}
/** Puts down which certificate was issued last: what a registry shows of ours is renewed from here. */
export const noteIssued = (m: EntityManager, registry: string, fingerprint: string): Promise<unknown> =>
  m.query(
    "update cluster_secret set about = about || jsonb_build_object('issued', $2::text) where charter = $1 and name = 'ca.crt'",
    [owner(registry), fingerprint],
  );

const planned = (
  c: Partial<PlannedCertificate> & { name: string; commonName: string; signer: PlannedCertificate['signer']; days: number },
): PlannedCertificate => ({
  names: [],
  addresses: [],
  server: false,
  client: false,
  ...c,
});

/** Makes an authority for ten years, and keeps its key sealed. */
export async function makeAuthority(config: Config, m: EntityManager, registry: string, title: string): Promise<Authority> {
  const made = await issue(planned({ name: 'ca', commonName: `${title} images CA`, signer: 'self', days: 3650 }), new Map());
  const authority: Authority = { ...made, origin: 'made' };
  await keepAuthority(config, m, registry, authority);
  return authority;
}

/** Why a certificate and key cannot serve as an authority; undefined: they can. */
export function authorityFault({ cert, key }: { cert: string; key: string }, now: Date): string | undefined {
  let c: X509Certificate;
  try {
    c = new X509Certificate(cert);
  } catch (e) {
    return `the certificate cannot be read: ${(e as Error).message}`;
  }
  try {
    if (!c.checkPrivateKey(createPrivateKey(key))) return 'the key belongs to another certificate';
    algorithmOf(key);
  } catch (e) {
    return /neither RSA/.test((e as Error).message)
      ? (e as Error).message
      : 'the key cannot be read; it must be PEM without a passphrase';
  }
  if (!c.ca) return 'it is not an authority: it may not sign other certificates';
  if (new Date(c.validTo) <= now) return `it ended on ${new Date(c.validTo).toISOString().slice(0, 10)}`;
  const { asymmetricKeyType: type, asymmetricKeyDetails: details } = c.publicKey;
  if (type === 'rsa' && (details?.modulusLength ?? 0) < 2048)
    return `its RSA key has ${details?.modulusLength} bits; 2048 are the least`;
  return undefined;
}

/** A server certificate for a registry's name and addresses, signed by its authority; it does not outlive that. */
export function serverCertificate(authority: Authority, host: string, addresses: string[], days: number) {
  const left = Math.floor((new Date(new X509Certificate(authority.cert).validTo).getTime() - Date.now()) / 86_400_000);
  return issue(
    planned({
      name: 'server',
      commonName: host,
      names: [host],
      addresses,
      server: true,
      signer: 'cluster-ca',
      days: Math.max(1, Math.min(days, left)),
    }),
    new Map([
      ['cluster-ca.crt', authority.cert],
      ['cluster-ca.key', authority.key],
    ]),
  );
}
