import { fqdn, zoneNameOf } from '../../naming/plan.ts';
import { at, each, planFor } from '../check.ts';

export const DNS012 = each('Charter', {
  code: 'DNS-012',
  severity: 'stop',
  about: 'the name of an API has another address by hand',
  find: (d, view) => {
    const { api } = planFor(view, d);
    const zone = zoneNameOf(view)(api.name);
    return (zone ? view.by('Record', 'zone', zone) : [])
      .filter((r) => fqdn(r.name, r.zone) === api.name && ['A', 'AAAA', 'CNAME'].includes(r.type) && r.value !== api.address)
      .map((r) =>
        at(d, ['api', 'name'], {
          title: `${api.name} points at ${r.value}`,
          text: `The API will answer at ${api.address || 'an address not chosen yet'}; a record by hand says ${r.value}.`,
          remedy: {
            label: 'Remove the record by hand',
            edits: [{ op: 'drop' as const, kind: 'Record' as const, key: `${r.name} ${r.type} ${r.value}` }],
          },
        }),
      );
  },
});
