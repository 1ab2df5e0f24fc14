import { certificateFault } from '../../images/certificate.ts';
import type { Check } from '../check.ts';
import { newCertificate } from './IMG-002.ts';

export const IMG003: Check = {
  code: 'IMG-003',
  severity: 'stop',
  about: 'a registry certificate names another host, is not trusted, or has ended',
  reads: ['registries', 'seenRegistries', 'charters'],
  find: ({ estate }) =>
    estate.registries.flatMap((r) => {
      const c = estate.observed.registries[r.name]?.certificate;
      if (!c) return [];
      const fault = certificateFault(c, r, estate.now);
      const why = fault?.text;
      return why
        ? [
            {
              subject: { kind: 'Registry' as const, name: r.name },
              path: ['ca'],
              site: r.site,
              charters: estate.charters.filter((x) => x.mirror === r.name).map((x) => x.name),
              title: `The certificate of ${r.endpoint} will be refused`,
              text: `${why[0]?.toUpperCase()}${why.slice(1)}. Log-in and every pull fail.`,
              remedy:
                fault?.what === 'trust' || r.role === 'source'
                  ? {
                      label: r.ca ? 'Change its CA' : 'Add its CA',
                      act: { kind: 'open' as const, path: `/declare?edit=${encodeURIComponent(`Registry ${r.name}`)}` },
                    }
                  : newCertificate(r.name),
            },
          ]
        : [];
    }),
};
