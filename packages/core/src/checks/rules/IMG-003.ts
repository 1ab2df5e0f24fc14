import { certificateFault } from '../../images/certificate.ts';
import { each } from '../check.ts';
import { newCertificate } from './IMG-002.ts';

export const IMG003 = each('Registry', {
  code: 'IMG-003',
  severity: 'stop',
  about: 'a registry certificate names another host, is not trusted, or has ended',
  find: (r, view) => {
    const c = view.get('seen registry', r.name)?.certificate;
    if (!c) return [];
    const fault = certificateFault(c, r, view.now);
    const why = fault?.text;
    return why
      ? [
          {
            subject: { kind: 'Registry' as const, name: r.name },
            path: ['ca'],
            site: r.site,
            charters: view.by('Charter', 'mirror', r.name).map((x) => x.name),
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
  },
});
