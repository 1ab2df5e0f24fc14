import type { EntityManager } from 'typeorm';
import type { PlannedCertificate } from '@praesidor/core/charter';
import { seal, unseal } from '../../auth/seal.ts';
import type { Config } from '../../config.ts';
import { issue } from '../clusters/pki.ts';

export interface Authority {
  cert: string;
  key: string;
}
const owner = (registry: string) => `registry ${registry}`;
const bound = (registry: string, what: string) => `registry ${registry} ${what}`;

/** The authority that signs a registry's certificates, made by this installation; undefined: it has none of ours. */
export async function authorityOf(config: Config, m: EntityManager, registry: string): Promise<Authority | undefined> {
  const rows = (await m.query('select name, sealed from cluster_secret where charter = $1', [owner(registry)])) as {
    name: string;
    sealed: Buffer;
  }[];
  const open = (name: string) => {
    const row = rows.find((r) => r.name === name);
    return row && unseal(config.keyringKey, row.sealed, bound(registry, name));
  };
  const [cert, key] = [open('ca.crt'), open('ca.key')];
  return cert && key ? { cert, key } : undefined;
}

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
  for (const [name, text] of [
    ['ca.crt', made.cert],
    ['ca.key', made.key],
  ] as const)
    await m.query(
      "insert into cluster_secret (charter, name, sealed, about) values ($1, $2, $3, '{}') on conflict (charter, name) do update set sealed = excluded.sealed",
      [owner(registry), name, seal(config.keyringKey, text, bound(registry, name))],
    );
  return made;
}

/** A server certificate for a registry's name and addresses, signed by its authority. */
export const serverCertificate = (authority: Authority, host: string, addresses: string[], days: number) =>
  issue(
    planned({ name: 'server', commonName: host, names: [host], addresses, server: true, signer: 'cluster-ca', days }),
    new Map([
      ['cluster-ca.crt', authority.cert],
      ['cluster-ca.key', authority.key],
    ]),
  );
