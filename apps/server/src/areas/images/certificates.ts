import { createPrivateKey, X509Certificate } from 'node:crypto';
import { isIP } from 'node:net';

export interface Judgement {
  what: 'read' | 'name' | 'dates' | 'chain' | 'key' | 'strength' | 'use';
  severity: 'stop' | 'mind';
  text: string;
}
/** The certificates of a text in PEM, each by itself. */
export const pems = (text: string) => text.match(/-----BEGIN CERTIFICATE-----[\s\S]+?-----END CERTIFICATE-----/g) ?? [];

/**
 * What is wrong with a server certificate for a host: it can be read, names the host (RFC 6125: by its alternative
 * names alone), is good now and for a while, is signed along its chain by one of the anchors, belongs to its key,
 * and is strong enough (RSA 2048, EC 256 bits, no SHA-1).
 */
export function judgeCertificate(
  c: { cert: string; key?: string | undefined; ca: string },
  host: string,
  now: Date,
): Judgement[] {
  const out: Judgement[] = [];
  const say = (what: Judgement['what'], severity: Judgement['severity'], text: string) => out.push({ what, severity, text });
  const read = (text: string, what: string) => {
    try {
      const list = pems(text).map((p) => new X509Certificate(p));
      if (!list.length) say('read', 'stop', `${what} holds no certificate in PEM`);
      return list;
    } catch (e) {
      say('read', 'stop', `${what} cannot be read: ${(e as Error).message}`);
      return [];
    }
  };
  const chain = read(c.cert, 'the certificate');
  const anchors = read(c.ca, 'the trust bundle');
  const [leaf] = chain;
  if (!leaf) return out;
  if (!leaf.subjectAltName) say('name', 'stop', `it has no alternative names: runtimes look at nothing else`);
  else if (!(isIP(host) ? leaf.checkIP(host) : leaf.checkHost(host, { subject: 'never' })))
    say('name', 'stop', `it is for ${leaf.subjectAltName.replace(/DNS:|IP Address:/g, '')}, not for ${host}`);
  for (const [n, x] of [...chain, ...anchors].entries()) {
    const which = n === 0 ? 'it' : n < chain.length ? 'a certificate of its chain' : 'an anchor';
    const [from, to] = [new Date(x.validFrom), new Date(x.validTo)];
    if (to <= now)
      say(
        'dates',
        n < chain.length || anchors.length === 1 ? 'stop' : 'mind',
        `${which} ended on ${to.toISOString().slice(0, 10)}`,
      );
    else if (from > now) say('dates', 'stop', `${which} begins only on ${from.toISOString().slice(0, 10)}`);
    else if (n === 0 && +to - +now < 30 * 86_400_000) say('dates', 'mind', `it ends on ${to.toISOString().slice(0, 10)} already`);
    const { asymmetricKeyType: type, asymmetricKeyDetails: details } = x.publicKey;
    if (type === 'rsa' && (details?.modulusLength ?? 0) < 2048)
      say('strength', 'stop', `${which} has an RSA key of ${details?.modulusLength} bits; 2048 are the least`);
    if (type === 'dsa') say('strength', 'stop', `${which} has a DSA key`);
  }
  signed(leaf, chain.slice(1), anchors, say);
  if (leaf.ca && chain.length === 1 && !anchors.some((a) => a.fingerprint256 === leaf.fingerprint256))
    say('use', 'mind', 'it is an authority itself, not a server’s certificate');
  if (leaf.keyUsage?.length && !leaf.keyUsage.includes('1.3.6.1.5.5.7.3.1')) say('use', 'stop', 'it may not be used by servers');
  if (c.key !== undefined) {
    try {
      if (!leaf.checkPrivateKey(createPrivateKey(c.key))) say('key', 'stop', 'the key belongs to another certificate');
    } catch {
      say('key', 'stop', 'the key cannot be read; it must be PEM without a passphrase');
    }
  }
  return out;
}

function signed(
  leaf: X509Certificate,
  between: X509Certificate[],
  anchors: X509Certificate[],
  say: (what: 'chain', severity: 'stop', text: string) => void,
) {
  let at = leaf;
  for (let n = 0; n <= between.length; n++) {
    if (anchors.some((a) => a.fingerprint256 === at.fingerprint256 || (at.checkIssued(a) && at.verify(a.publicKey)))) return;
    const next = between.find((b) => at.checkIssued(b) && at.verify(b.publicKey) && b.ca);
    if (!next) break;
    at = next;
  }
  say(
    'chain',
    'stop',
    `no anchor of the trust bundle signed it: ${at.issuer.split('\n').join(', ') || 'nobody'} did, and is not in there`,
  );
}
