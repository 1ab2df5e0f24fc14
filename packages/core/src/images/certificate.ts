import type { Registry } from '../model/documents.ts';
import type { SeenCertificate } from '../model/observed.ts';

export interface CertificateFault {
  what: 'name' | 'dates' | 'trust';
  text: string;
}

/**
 * Why clients will refuse the certificate that a registry shows; undefined: they will not. It must name the host (RFC 6125), not
 * have ended, and be signed by an anchor of the registry's trust bundle. `now` in ISO 8601.
 */
export function certificateFault(
  c: SeenCertificate,
  registry: Pick<Registry, 'endpoint' | 'ca'>,
  now: string,
): CertificateFault | undefined {
  const host = registry.endpoint.split(':')[0] ?? '';
  if (!c.names.includes(host)) return { what: 'name', text: `it is for ${c.names.join(', ') || c.subject}` };
  if (Date.parse(c.notAfter) <= Date.parse(now)) return { what: 'dates', text: `it ended on ${c.notAfter.slice(0, 10)}` };
  if (!c.trusted)
    return {
      what: 'trust',
      text: registry.ca ? `${c.issuer} is not in the trust given` : 'no certificate authority is declared for it',
    };
  return undefined;
}
