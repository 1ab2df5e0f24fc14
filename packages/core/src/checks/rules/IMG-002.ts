import { counted } from '../../words/amounts.ts';
import { renewalDue } from '../../images/renewal.ts';
import { clockOf, each, type Remedy } from '../check.ts';
import { dayText, momentText } from '../../words/moments.ts';

/** Leads to where a registry is given another certificate. */
export const newCertificate = (registry: string): Remedy => ({
  label: 'Prepare a new certificate',
  act: { kind: 'open', path: `/images/rules?registry=${registry}` },
});

export const IMG002 = each('Registry', {
  code: 'IMG-002',
  severity: 'mind',
  about: 'a registry certificate ends soon',
  find: (r, view) => {
    const seen = view.get('seen registry', r.name);
    const c = seen?.certificate;
    if (!c) return [];
    // What was issued here is renewed from here; nobody is told until that fails, or is late.
    const late = Date.parse(view.now) - Date.parse(renewalDue(c)) > 86_400_000;
    if (seen.renews && !seen.renews.error && !late) return [];
    const days = Math.floor((Date.parse(c.notAfter) - Date.parse(view.now)) / 86_400_000);
    if (days > 30 || days < 0) return [];
    const users = view.by('Charter', 'mirror', r.name).length;
    return [
      {
        subject: { kind: 'Registry' as const, name: r.name },
        path: ['endpoint'],
        site: r.site,
        title: `Registry certificate ends in ${days + 1} days`,
        text: `${momentText(c.notAfter, clockOf(view, r.site))}. Pulls stop then, also for node restarts${users ? `; ${counted(users, 'cluster pulls', 'clusters pull')} from ${r.endpoint}` : ''}.${seen.renews?.error ? ` Renewing it was tried ${seen.renews.tried ? dayText(seen.renews.tried, clockOf(view, r.site)) : 'in vain'}: ${seen.renews.error}` : ''}`,
        ...(r.role === 'source' ? {} : { remedy: newCertificate(r.name) }),
      },
    ];
  },
});
