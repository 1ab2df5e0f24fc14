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
 * Who packed a shipment, or made a bundle: an Ed25519 signature (RFC 8032) over the manifest of the whole, byte for byte. The
 * manifest names everything else by digest, so that what it covers cannot be exchanged; the signature lies beside it.
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
/** What a signature is over begins with a line that says what it is of: one of a shipment is none of a bundle. */
const contexts = { shipment: 'praesidor shipment v1\n', bundle: 'praesidor bundle v1\n' } as const;
export type SignedThing = keyof typeof contexts;
const signedBytes = (of: SignedThing, manifest: Buffer) => Buffer.concat([Buffer.from(contexts[of]), manifest]);
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

export function signManifest(manifest: Buffer, by: SigningKey, of: SignedThing = 'shipment'): Signature {
  const signature = signBytes(null, signedBytes(of, manifest), createPrivateKey(by.privateKey));
  return { by: by.name, key: publicKeyOf(by.privateKey), signature: signature.toString('base64') };
}

/** Who signed a case, held against those who are trusted here. What it says of itself counts for nothing without the key. */
export async function signedBy(box: CaseFolder, trusted: readonly TrustedKey[]): Promise<Signed> {
  const size = await box.size(signatureFile);
  if (size === undefined) return { state: 'unsigned' };
  if (size > most) return { state: 'wrong', why: `${signatureFile} is larger than a signature` };
  return signerOf(await box.read('shipment.json'), await box.read(signatureFile), trusted, 'shipment');
}
const most = 4096;

/** Who signed a manifest, by the text of the signature that lies beside it. */
export function signerOf(manifest: Buffer, text: Buffer, trusted: readonly TrustedKey[], of: SignedThing): Signed {
  try {
    if (text.length > most) throw new Error('it is larger than a signature');
    const { by, key, signature } = JSON.parse(text.toString('utf8')) as Partial<Signature>;
    if (typeof by !== 'string' || typeof key !== 'string' || typeof signature !== 'string')
      throw new Error('it has no by, key and signature');
    if (!verifyBytes(null, signedBytes(of, manifest), readKey(key), Buffer.from(signature, 'base64')))
      return { state: 'wrong', why: 'the manifest is not the one that was signed' };
    const known = trusted.find((t) => t.key === key);
    return known ? { state: 'trusted', by: known.name, key } : { state: 'foreign', by: by.slice(0, 80), key };
  } catch (e) {
    return { state: 'wrong', why: `the signature cannot be read: ${(e as Error).message}` };
  }
}
