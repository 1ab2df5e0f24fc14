import { createHmac, hkdfSync, randomBytes, scrypt, timingSafeEqual, webcrypto } from 'node:crypto';
import { ProtocolError } from '@praesidor/protocols/dial';
import type { BlockStore } from './store.ts';

const { subtle } = webcrypto;

/** Keys that follow from the entry of the keyring and from what a store says of it. */
export interface StoreKeys {
  /** Names of blocks are made with it: who looks at the store cannot tell which content it has. */
  name: Buffer;
  /** Keys of blocks and indexes are made with it. */
  seal: Buffer;
}

const keyFile = 'key.json';
/** scrypt (RFC 7914): 32 MiB and a tenth of a second for each guess. */
const cost = { N: 32_768, r: 8, p: 1, maxmem: 64 * 1024 * 1024 };
const stretched = (secret: string, salt: Buffer) =>
  new Promise<Buffer>((done, fail) =>
    scrypt(secret.normalize('NFC'), salt, 32, cost, (e, key) => (e ? fail(e) : done(key as Buffer))),
  );
const part = (root: Buffer, what: string): Buffer => Buffer.from(hkdfSync('sha256', root, Buffer.alloc(0), what, 32));

/**
 * Keys for a store. The first who comes puts down a salt there, and something to know the right secret by.
 *
 * @throws ProtocolError `credentials` where the store was begun with another secret
 */
export async function keysOf(store: BlockStore, secret: string, signal?: AbortSignal): Promise<StoreKeys> {
  const made = randomBytes(16);
  const check = (root: Buffer) => createHmac('sha256', part(root, 'check')).update('praesidor').digest('hex');
  const read = async () => {
    try {
      const { version, salt, known } = JSON.parse((await store.get(keyFile, signal)).toString()) as {
        version: number;
        salt: string;
        known: string;
      };
      if (version !== 1 || !/^[0-9a-f]{32}$/.test(salt)) throw new Error('its version is not known');
      return { salt: Buffer.from(salt, 'hex'), known };
    } catch (e) {
      if (e instanceof ProtocolError && e.fault === 'missing') return undefined;
      if (e instanceof ProtocolError) throw e;
      throw new ProtocolError('answer', store.title, `${keyFile} there cannot be read: ${(e as Error).message}`);
    }
  };
  let there = await read();
  if (!there) {
    const root = await stretched(secret, made);
    const text = `${JSON.stringify({ version: 1, salt: made.toString('hex'), known: check(root) }, null, 2)}\n`;
    await store.put(keyFile, Buffer.from(text), signal, 'there');
    // Somebody may have been first.
    there = await read();
    if (!there) throw new ProtocolError('answer', store.title, `${keyFile} was written there and is not there`);
  }
  const root = await stretched(secret, there.salt);
  const mine = Buffer.from(check(root));
  const known = Buffer.from(there.known);
  if (mine.length !== known.length || !timingSafeEqual(mine, known))
    throw new ProtocolError('credentials', store.title, 'what lies there is encrypted with another key than the keyring has');
  return { name: part(root, 'names'), seal: part(root, 'content') };
}

/** The name of a block, by the SHA-256 of what it holds: the same content has the same name, and lies there once. */
export const blockId = ({ name }: StoreKeys, sha256: string): string =>
  createHmac('sha256', name).update(sha256, 'hex').digest('hex');

const nonce = Buffer.alloc(12);
/** A key of its own for each name: what has a name has one content, so that no key ever encrypts two (AES-256-GCM, NIST SP 800-38D). */
const keyFor = ({ seal }: StoreKeys, id: string) =>
  subtle.importKey('raw', createHmac('sha256', seal).update(id).digest(), 'AES-GCM', false, ['encrypt', 'decrypt']);
const way = { name: 'AES-GCM', iv: nonce };

/** SHA-256 beside the event loop, hex. */
export const digestOf = async (bytes: Uint8Array): Promise<string> =>
  Buffer.from(await subtle.digest('SHA-256', bytes as Uint8Array<ArrayBuffer>)).toString('hex');

/** Encrypts what goes by a name: under another name it cannot be opened. */
export async function sealed(keys: StoreKeys, id: string, bytes: Uint8Array): Promise<Buffer> {
  return Buffer.from(await subtle.encrypt(way, await keyFor(keys, id), bytes as Uint8Array<ArrayBuffer>));
}
/** @returns undefined where it is not what was written under that name */
export async function opened(keys: StoreKeys, id: string, bytes: Buffer): Promise<Buffer | undefined> {
  try {
    return Buffer.from(await subtle.decrypt(way, await keyFor(keys, id), bytes as Uint8Array<ArrayBuffer>));
  } catch {
    return undefined;
  }
}
