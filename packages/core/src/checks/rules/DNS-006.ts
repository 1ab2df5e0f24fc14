import { fqdn, zoneNameOf } from '../../naming/plan.ts';
import { each, planFor } from '../check.ts';

export const DNS006 = each('Charter', {
  code: 'DNS-006',
  severity: 'stop',
  about: 'a wildcard by hand points elsewhere than the inbound router',
  find: (c, view) => {
    const { inbound } = planFor(view, c);
    const zone = zoneNameOf(view)(inbound.name);
    return (zone ? view.by('Record', 'zone', zone) : [])
      .filter(
        (r) => fqdn(r.name, r.zone) === inbound.name && ['A', 'AAAA', 'CNAME'].includes(r.type) && r.value !== inbound.address,
      )
      .map((r) => ({
        subject: { kind: 'Charter' as const, name: c.name },
        path: ['inbound', 'name'],
        site: c.site,
        title: `${inbound.name} points at ${r.value}`,
        text: `The inbound router will stand at ${inbound.address || 'an address not chosen yet'}; a record by hand says ${r.value}. Published applications would not be found.`,
        remedy: {
          label: 'Remove the record by hand',
          edits: [{ op: 'drop' as const, kind: 'Record' as const, key: `${r.name} ${r.type} ${r.value}` }],
        },
      }));
  },
});
