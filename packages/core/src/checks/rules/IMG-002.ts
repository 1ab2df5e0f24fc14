import { counted } from '../../words/amounts.ts';
import { renewalDue } from '../../images/renewal.ts';
import type { Check, Remedy } from '../check.ts';

/** Leads to where a registry is given another certificate. */
export const newCertificate = (registry: string): Remedy => ({
  label: 'Prepare a new certificate',
  act: { kind: 'open', path: `/images/rules?registry=${registry}` },
});

export const IMG002: Check = {
  code: 'IMG-002',
  severity: 'mind',
  about: 'a registry certificate ends soon',
  reads: ['registries', 'seenRegistries', 'charters'],
  find: ({ estate }) =>
    estate.registries.flatMap((r) => {
      const seen = estate.observed.registries[r.name];
      const c = seen?.certificate;
      if (!c) return [];
      // What was issued here is renewed from here; nobody is told until that fails, or is late.
      const late = Date.parse(estate.now) - Date.parse(renewalDue(c)) > 86_400_000;
      if (seen.renews && !seen.renews.error && !late) return [];
      const days = Math.floor((Date.parse(c.notAfter) - Date.parse(estate.now)) / 86_400_000);
      if (days > 30 || days < 0) return [];
      const users = estate.charters.filter((x) => x.mirror === r.name).length;
      return [
        {
          subject: { kind: 'Registry' as const, name: r.name },
          path: ['endpoint'],
          site: r.site,
          title: `Registry certificate ends in ${days + 1} days`,
          text: `${c.notAfter.slice(0, 10)}, ${c.notAfter.slice(11, 16)} UTC. Pulls stop then, also for node restarts${users ? `; ${counted(users, 'cluster pulls', 'clusters pull')} from ${r.endpoint}` : ''}.${seen.renews?.error ? ` Renewing it was tried ${seen.renews.tried?.slice(0, 10)}: ${seen.renews.error}` : ''}`,
          ...(r.role === 'source' ? {} : { remedy: newCertificate(r.name) }),
        },
      ];
    }),
};
