import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { CaseFolder } from './case.ts';
import { keyFingerprint, newSigningKey, publicKeyOf, signatureFile, signedBy, signManifest } from './signature.ts';

const root = mkdtempSync(join(tmpdir(), 'signature-'));
afterAll(() => rmSync(root, { recursive: true, force: true }));
const manifest = Buffer.from('{"shipment":"LR-1"}');
const { privateKey, key } = newSigningKey();
let dir: string;
let n = 0;
const put = (file: string, text: string | Buffer) => writeFileSync(join(dir, file), text);
beforeEach(async () => {
  dir = join(root, `${++n}`);
  execFileSync('mkdir', [dir]);
  put('shipment.json', manifest);
});
const sign = (by = 'Briar Wharf', pem = privateKey) =>
  put(signatureFile, JSON.stringify(signManifest(manifest, { name: by, privateKey: pem })));
const seen = (trusted = [{ name: 'hall', key }]) => signedBy(new CaseFolder(dir), trusted);

describe('who packed a shipment', () => {
  it('is called by the name that its key has where it lands', async () => {
    sign();
    expect(await seen()).toEqual({ state: 'trusted', by: 'hall', key });
  });
  it('is foreign when its key is not known, whatever it is called', async () => {
    sign('hall', newSigningKey().privateKey);
    expect(await seen()).toMatchObject({ state: 'foreign', by: 'hall' });
  });
  it('is nobody without a signature', async () => expect(await seen()).toEqual({ state: 'unsigned' }));
  it.each(Array.from({ length: manifest.length }, (_, i) => i))('is wrong when byte %i of the manifest is another', async (i) => {
    sign();
    const bytes = Buffer.from(manifest);
    bytes[i] = (bytes[i] as number) ^ 1;
    put('shipment.json', bytes);
    expect(await seen()).toMatchObject({ state: 'wrong' });
  });
  it("is wrong when another's key is named beside a signature", async () => {
    const other = newSigningKey();
    const s = signManifest(manifest, { name: 'x', privateKey: other.privateKey });
    put(signatureFile, JSON.stringify({ ...s, key }));
    expect(await seen()).toMatchObject({ state: 'wrong' });
  });
  it.each([
    '',
    '{}',
    'null',
    '[]',
    '{"by":1,"key":2,"signature":3}',
    `{"by":"x","key":"AA==","signature":"AA=="}`,
    'x'.repeat(5000),
  ])('is wrong when its file holds %.30j', async (text) => {
    put(signatureFile, text);
    expect(await seen()).toMatchObject({ state: 'wrong' });
  });
});

describe('a signature', () => {
  it('is what OpenSSL says it is', () => {
    const s = signManifest(manifest, { name: 'x', privateKey });
    put('key.pem', privateKey);
    execFileSync('openssl', ['pkey', '-in', join(dir, 'key.pem'), '-pubout', '-out', join(dir, 'pub.pem')]);
    put('signed', Buffer.concat([Buffer.from('praesidor shipment v1\n'), manifest]));
    put('sig', Buffer.from(s.signature, 'base64'));
    const verify = () =>
      execFileSync(
        'openssl',
        [
          'pkeyutl',
          '-verify',
          '-pubin',
          '-inkey',
          join(dir, 'pub.pem'),
          '-rawin',
          '-in',
          join(dir, 'signed'),
          '-sigfile',
          join(dir, 'sig'),
        ],
        { encoding: 'utf8', stdio: 'pipe' },
      );
    expect(verify()).toContain('Signature Verified Successfully');
    expect(publicKeyOf(readFileSync(join(dir, 'pub.pem'), 'utf8'))).toBe(key);
    put('signed', manifest);
    expect(verify).toThrow();
  });
  it('has a key whose fingerprint people compare', () => {
    // SHA-256 of 32 zero bytes
    expect(keyFingerprint(Buffer.alloc(32).toString('base64'))).toMatch(/^66:68:7A:AD:F8:62:BD:77(:[0-9A-F]{2}){24}$/);
  });
  it('takes no other kind of key', () => {
    const rsa = execFileSync('openssl', ['genpkey', '-algorithm', 'RSA', '-pkeyopt', 'rsa_keygen_bits:2048'], {
      encoding: 'utf8',
      stdio: 'pipe',
    });
    expect(() => publicKeyOf(rsa)).toThrow('not an Ed25519 key');
  });
});
