import 'reflect-metadata';
import { createPrivateKey, createPublicKey, webcrypto, X509Certificate } from 'node:crypto';
import { isIP } from 'node:net';
import * as x509 from '@peculiar/x509';

x509.cryptoProvider.set(webcrypto as never);
const algorithm = { name: 'ECDSA', namedCurve: 'P-256', hash: 'SHA-256' };

export interface CertificateRequest {
  /** PKCS#8 in PEM; it stays where the request was made. */
  key: string;
  /** PKCS#10 in PEM (RFC 2986), for whoever signs. */
  request: string;
}

/** A new key, and the request for a server certificate of that host name, with its other names and addresses (RFC 5280 §4.2.1.6). */
export async function requestCertificate(host: string, more: readonly string[] = []): Promise<CertificateRequest> {
  const keys = (await webcrypto.subtle.generateKey(algorithm, true, ['sign', 'verify'])) as CryptoKeyPair;
  const names = [...new Set([host, ...more])].map((value) => ({ type: isIP(value) ? ('ip' as const) : ('dns' as const), value }));
  const request = await x509.Pkcs10CertificateRequestGenerator.create({
    name: `CN=${host}`,
    keys: keys as never,
    signingAlgorithm: algorithm,
    extensions: [
      new x509.SubjectAlternativeNameExtension(names),
      new x509.KeyUsagesExtension(x509.KeyUsageFlags.digitalSignature, true),
      new x509.ExtendedKeyUsageExtension([x509.ExtendedKeyUsage.serverAuth]),
    ],
  });
  const key = Buffer.from(await webcrypto.subtle.exportKey('pkcs8', keys.privateKey));
  return {
    key: createPrivateKey({ key, format: 'der', type: 'pkcs8' }).export({ type: 'pkcs8', format: 'pem' }) as string,
    request: `${request.toString('pem').trim()}\n`,
  };
}

const pems = (text: string) => text.match(/-----BEGIN CERTIFICATE-----[\s\S]+?-----END CERTIFICATE-----/g) ?? [];

/**
 * The answer to a request: the certificate of its key first, whatever order they came in, then the rest of the chain.
 * @throws Error that says what is wrong with it
 */
export function answered(key: string, answer: string): string {
  const all = pems(answer);
  if (!all.length) throw new Error('there is no certificate in it; PEM is expected, with -----BEGIN CERTIFICATE-----');
  const certs = all.map((pem) => ({ pem, cert: new X509Certificate(pem) }));
  const ours = createPublicKey(createPrivateKey(key)).export({ type: 'spki', format: 'der' });
  const own = certs.find((c) => ours.equals(c.cert.publicKey.export({ type: 'spki', format: 'der' }) as Buffer));
  if (!own) throw new Error('no certificate in it is for the key of this request; was it made for an older one?');
  return `${[own, ...certs.filter((c) => c !== own)].map((c) => c.pem).join('\n')}\n`;
}
