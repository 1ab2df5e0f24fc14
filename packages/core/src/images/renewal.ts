import type { SeenCertificate } from '../model/observed.ts';

const day = 86_400_000;

/**
 * From when on a certificate is to be renewed: thirty days before its end, and a third of its life where that is shorter, so
 * that there is time for a second try and for somebody to look. ISO 8601.
 *
 *     renewalDue({ notBefore: '2026-01-01T00:00:00Z', notAfter: '2027-01-01T00:00:00Z' }) // 2026-12-02T00:00:00.000Z
 */
export function renewalDue(c: Pick<SeenCertificate, 'notBefore' | 'notAfter'>): string {
  const [from, to] = [Date.parse(c.notBefore), Date.parse(c.notAfter)];
  return new Date(to - Math.max(0, Math.min(30 * day, (to - from) / 3))).toISOString();
}
