import { createCipheriv, createDecipheriv, createHash, randomBytes } from 'node:crypto';

/** AES-256-GCM: 12 bytes of nonce, 16 of tag, then the content. `bound` is authenticated too, so that entries cannot be exchanged. */
export const seal = (key: Buffer, text: string, bound: string): Buffer => sealBytes(key, Buffer.from(text, 'utf8'), bound);
export function sealBytes(key: Buffer, content: Buffer, bound: string): Buffer {
  const nonce = randomBytes(12);
  const cipher = createCipheriv('aes-256-gcm', key, nonce).setAAD(Buffer.from(bound));
  const body = Buffer.concat([cipher.update(content), cipher.final()]);
  return Buffer.concat([nonce, cipher.getAuthTag(), body]);
}

/** @throws Error when the key is another or the entry was changed. */
export const unseal = (key: Buffer, sealed: Buffer, bound: string): string => unsealBytes(key, sealed, bound).toString('utf8');
export function unsealBytes(key: Buffer, sealed: Buffer, bound: string): Buffer {
  const d = createDecipheriv('aes-256-gcm', key, sealed.subarray(0, 12))
    .setAAD(Buffer.from(bound))
    .setAuthTag(sealed.subarray(12, 28));
  return Buffer.concat([d.update(sealed.subarray(28)), d.final()]);
}

export const hashed = (token: string) => createHash('sha256').update(token).digest('hex');
export const newToken = () => randomBytes(32).toString('base64url');
