import {
  createHash,
  createPrivateKey,
  createPublicKey,
  generateKeyPairSync,
  sign as signBytes,
  verify as verifyBytes,
} from 'node:crypto';
import type { CaseFolder } from './case.ts';

/**
 * Who packed a shipment: an Ed25519 signature (RFC 8032) over the manifest of the whole, `shipment.json`, byte for byte. It
 * names every blob and manifest by digest, so that what it covers cannot be exchanged; it lies beside it in every case.
 */
export interface SigningKey {
  /** What the installation is called where its key is trusted. */
  name: string;
  /** PKCS#8 in PEM. */
  privateKey: string;
}
/** As it lies in a case. `key` is the raw public key in base64. */
export interface Signature {
  by: string;
  key: string;
  signature: string;
}
export interface TrustedKey {
  name: string;
  key: string;
}

export type Signed =
  | { state: 'trusted'; by: string; key: string }
  /** Signed rightly, by somebody who is not trusted here. */
  | { state: 'foreign'; by: string; key: string }
  | { state: 'unsigned' }
  /** The signature does not fit: the case was changed after it was packed. */
  | { state: 'wrong'; why: string };

export const signatureFile = 'signature.json';
const context = Buffer.from('praesidor shipment v1\n');
const prefix = Buffer.from('302a300506032b6570032100', 'hex');

/** The raw public key in base64, from a key in PEM. @throws Error when it is no Ed25519 key */
export function publicKeyOf(pem: string): string {
  const key = pem.includes('PRIVATE') ? createPublicKey(createPrivateKey(pem)) : createPublicKey(pem);
  if (key.asymmetricKeyType !== 'ed25519') throw new Error('it is not an Ed25519 key');
  return key.export({ type: 'spki', format: 'der' }).subarray(prefix.length).toString('base64');
}
const readKey = (raw: string) => {
  const bytes = Buffer.from(raw, 'base64');
  if (bytes.length !== 32) throw new Error('a public key has 32 bytes');
  return createPublicKey({ key: Buffer.concat([prefix, bytes]), format: 'der', type: 'spki' });
};
/** What people compare: SHA-256 of a public key, in pairs. */
export const keyFingerprint = (raw: string): string =>
  (createHash('sha256').update(Buffer.from(raw, 'base64')).digest('hex').toUpperCase().match(/../g) ?? []).join(':');

export function newSigningKey(): { privateKey: string; key: string } {
  const { privateKey } = generateKeyPairSync('ed25519');
  const pem = privateKey.export({ type: 'pkcs8', format: 'pem' }) as string;
  return { privateKey: pem, key: publicKeyOf(pem) };
}

export function signManifest(manifest: Buffer, by: SigningKey): Signature {
  const signature = signBytes(null, Buffer.concat([context, manifest]), createPrivateKey(by.privateKey));
  return { by: by.name, key: publicKeyOf(by.privateKey), signature: signature.toString('base64') };
}

/** Who signed a case, held against those who are trusted here. What it says of itself counts for nothing without the key. */
export async function signedBy(box: CaseFolder, trusted: readonly TrustedKey[]): Promise<Signed> {
  const size = await box.size(signatureFile);
  if (size === undefined) return { state: 'unsigned' };
  if (size > 4096) return { state: 'wrong', why: `${signatureFile} is larger than a signature` };
  let s: Partial<Signature>;
  try {
    s = JSON.parse((await box.read(signatureFile)).toString('utf8')) as Partial<Signature>;
    const { by, key, signature } = s;
    if (typeof by !== 'string' || typeof key !== 'string' || typeof signature !== 'string')
      throw new Error('it has no by, key and signature');
    const bytes = Buffer.concat([context, await box.read('shipment.json')]);
    if (!verifyBytes(null, bytes, readKey(key), Buffer.from(signature, 'base64')))
      return { state: 'wrong', why: 'the manifest is not the one that was signed' };
    const known = trusted.find((t) => t.key === key);
    return known ? { state: 'trusted', by: known.name, key } : { state: 'foreign', by: by.slice(0, 80), key };
  } catch (e) {
    return { state: 'wrong', why: `the signature cannot be read: ${(e as Error).message}` };
  }
}
