import 'reflect-metadata';
import { createPrivateKey, webcrypto, X509Certificate } from 'node:crypto';
import * as x509 from '@peculiar/x509';
import type { EntityManager } from 'typeorm';
import { accountKey, hostKey, type Plan, type PlannedCertificate, publicHalf } from '@praesidor/core/charter';
import { readable, sshKeys } from '@praesidor/protocols/ssh';
import { seal, unseal } from '../../auth/seal.ts';
import type { Config } from '../../config.ts';
import { ClusterSecrets } from '../../db/tables.ts';

x509.cryptoProvider.set(webcrypto as never);
const algorithm = { name: 'ECDSA', namedCurve: 'P-256', hash: 'SHA-256' };

/** All secrets of a cluster by name: `apiserver.crt`, `apiserver.key`, … */
export type Secrets = ReadonlyMap<string, string>;

/** The key of an authority in whatever PEM it came: PKCS#8, PKCS#1 or SEC 1. */
const pkcs8 = (key: string) => createPrivateKey(key).export({ type: 'pkcs8', format: 'der' });
/** How a key signs: an authority that was brought along may have another kind than ours. @throws Error for one that cannot */
export function algorithmOf(key: string) {
  const { asymmetricKeyType: type, asymmetricKeyDetails: details } = createPrivateKey(key);
  if (type === 'rsa') return { name: 'RSASSA-PKCS1-v1_5', hash: 'SHA-256' };
  const curves: Record<string, [string, string]> = {
    prime256v1: ['P-256', 'SHA-256'],
    secp384r1: ['P-384', 'SHA-384'],
    secp521r1: ['P-521', 'SHA-512'],
  };
  const [namedCurve, hash] = curves[details?.namedCurve ?? ''] ?? [];
  if (type !== 'ec' || !namedCurve || !hash)
    throw new Error('the key is neither RSA nor on one of the curves P-256, P-384, P-521');
  return { name: 'ECDSA', namedCurve, hash };
}

const pem = (label: string, der: ArrayBuffer) =>
  `-----BEGIN ${label}-----\n${(
    Buffer.from(der)
      .toString('base64')
      .match(/.{1,64}/g) ?? []
  ).join('\n')}\n-----END ${label}-----\n`;

/** When a certificate ends, in milliseconds. A kit is asked for by every host, and its certificates are the same: known once, known. */
function endOf(cert: string): number {
  let at = ends.get(cert);
  if (at === undefined) {
    at = Date.parse(new X509Certificate(cert).validTo);
    if (ends.size > 5000) ends.clear();
    ends.set(cert, at);
  }
  return at;
}
const ends = new Map<string, number>();

/** A secret of a cluster as it was kept. */
export const secretOf = (config: Config, charter: string, row: { name: string; sealed: Buffer }): string =>
  unseal(config.keyringKey, row.sealed, `cluster ${charter} ${row.name}`);

/**
 * The certificates and keys of a plan. Those that stand and still name what the plan names are kept, so
 * that the same charter gives the same files; the others are made; authorities only where there are none. One transaction.
 * `cluster-ca.crt` is what is trusted, two certificates while one authority takes the place of another; `cluster-ca.signing.crt` the one that signs.
 */
export async function clusterSecrets(config: Config, m: EntityManager, plan: Plan): Promise<Secrets> {
  const charter = plan.charter.name;
  await m.query('select pg_advisory_xact_lock(727003, hashtext($1))', [charter]);
  const out = new Map<string, string>();
  const about = new Map<string, string>();
  for (const row of await m.findBy(ClusterSecrets, { charter })) {
    out.set(row.name, secretOf(config, charter, row));
    about.set(row.name, JSON.stringify(row.about));
  }
  // The key of its authority is not here: nothing is issued for it.
  if (out.has('cluster-ca.crt') && !out.has('cluster-ca.key')) return out;
  const keep = async (name: string, text: string, what: object) => {
    out.set(name, text);
    await keepSecret(config, m, charter, name, text, what);
  };
  const remade = new Set<string>();
  for (const c of plan.certificates) {
    const what = { names: c.names.join(' '), addresses: c.addresses.join(' '), commonName: c.commonName };
    // Hosts that stand trust an authority as it is: another one is a change of the cluster.
    if (c.signer === 'self' && out.has(`${c.name}.crt`)) continue;
    const stands =
      out.has(`${c.name}.crt`) &&
      sorted(about.get(`${c.name}.crt`)) === sorted(JSON.stringify(what)) &&
      !remade.has(c.signer) &&
      endOf(out.get(`${c.name}.crt`) as string) > Date.now() + 30 * 86_400_000;
    if (stands) continue;
    const pair = await issue(c, out);
    await keep(`${c.name}.crt`, pair.cert, what);
    await keep(`${c.name}.key`, pair.key, what);
    remade.add(c.name);
  }
  if (!out.has('service-accounts.key')) {
    const keys = (await webcrypto.subtle.generateKey(algorithm, true, ['sign', 'verify'])) as CryptoKeyPair;
    await keep(
      'service-accounts.key',
      pem('PRIVATE KEY', await webcrypto.subtle.exportKey('pkcs8', keys.privateKey as never)),
      {},
    );
    await keep('service-accounts.pub', pem('PUBLIC KEY', await webcrypto.subtle.exportKey('spki', keys.publicKey as never)), {});
  }
  for (const name of [accountKey, ...plan.nodes.map((n) => hostKey(n.host))]) {
    // One that no sshd can read serves nobody: it is made anew.
    if (readable(out.get(name) ?? '')) continue;
    const keys = await sshKeys();
    await keep(name, keys.private, {});
    await keep(publicHalf(name), keys.public, {});
  }
  for (const name of authorityNames) {
    const signing = out.get(`${name}.crt`);
    if (signing === undefined) continue;
    out.set(`${name}.signing.crt`, signing);
    out.set(`${name}.crt`, [signing, out.get(`${name}.next.crt`), out.get(`${name}.before.crt`)].join(''));
  }
  return out;
}

/** Authorities of a cluster. Beside one stands, while another takes its place, the `next` one, or the one `before`: whoever trusts, trusts both. */
export const authorityNames = ['cluster-ca', 'front-ca', 'etcd-ca'] as const;

/** Keeps a secret of a cluster, sealed. */
export async function keepSecret(
  config: Config,
  m: EntityManager,
  charter: string,
  name: string,
  text: string,
  what: object,
): Promise<void> {
  await m.query(
    'insert into cluster_secret (charter, name, sealed, about) values ($1, $2, $3, $4) on conflict (charter, name) do update set sealed = excluded.sealed, about = excluded.about',
    [charter, name, seal(config.keyringKey, text, `cluster ${charter} ${name}`), JSON.stringify(what)],
  );
}

const sorted = (json: string | undefined) => JSON.stringify(Object.entries(JSON.parse(json ?? '{}') as object).sort());

export async function issue(c: PlannedCertificate, have: Secrets): Promise<{ cert: string; key: string }> {
  const keys = (await webcrypto.subtle.generateKey(algorithm, true, ['sign', 'verify'])) as CryptoKeyPair;
  const self = c.signer === 'self';
  const issuer = self ? undefined : new x509.X509Certificate(have.get(`${c.signer}.crt`) as string);
  const signs = self ? algorithm : algorithmOf(have.get(`${c.signer}.key`) as string);
  const signingKey = self
    ? keys.privateKey
    : await webcrypto.subtle.importKey('pkcs8', pkcs8(have.get(`${c.signer}.key`) as string), signs, false, ['sign']);
  const subject = [...(c.organization ? [{ O: [c.organization] }] : []), { CN: [c.commonName] }];
  const san = [
    ...c.names.map((value) => ({ type: 'dns' as const, value })),
    ...c.addresses.map((value) => ({ type: 'ip' as const, value })),
  ];
  const usages = [
    ...(c.server ? [x509.ExtendedKeyUsage.serverAuth] : []),
    ...(c.client ? [x509.ExtendedKeyUsage.clientAuth] : []),
  ];
  const cert = await x509.X509CertificateGenerator.create({
    serialNumber: `1${Buffer.from(webcrypto.getRandomValues(new Uint8Array(12))).toString('hex')}`.slice(0, 24),
    subject: new x509.Name(subject as never).toString(),
    issuer: issuer?.subject ?? new x509.Name(subject as never).toString(),
    notBefore: new Date(Date.now() - 3_600_000),
    // None outlives whom it is trusted by.
    notAfter: new Date(Math.min(Date.now() + c.days * 86_400_000, issuer?.notAfter.getTime() ?? Number.POSITIVE_INFINITY)),
    signingAlgorithm: signs,
    publicKey: keys.publicKey as never,
    signingKey: signingKey as never,
    extensions: [
      new x509.BasicConstraintsExtension(self, undefined, true),
      new x509.KeyUsagesExtension(
        self ? x509.KeyUsageFlags.keyCertSign | x509.KeyUsageFlags.cRLSign : x509.KeyUsageFlags.digitalSignature,
        true,
      ),
      ...(usages.length ? [new x509.ExtendedKeyUsageExtension(usages)] : []),
      ...(san.length ? [new x509.SubjectAlternativeNameExtension(san)] : []),
      await x509.SubjectKeyIdentifierExtension.create(keys.publicKey as never),
      ...(issuer ? [await x509.AuthorityKeyIdentifierExtension.create(issuer)] : []),
    ],
  });
  return {
    cert: `${cert.toString('pem')}\n`,
    key: pem('PRIVATE KEY', await webcrypto.subtle.exportKey('pkcs8', keys.privateKey as never)),
  };
}
