import { hostOf } from '../../access/credentials.ts';
import { isIp } from '../../address/parse.ts';
import { plannedAt, zoneNameOf } from '../../naming/plan.ts';
import { at, each } from '../check.ts';

export const DNS013 = each('Registry', {
  code: 'DNS-013',
  severity: 'mind',
  about: 'the name of a registry has no address in the plan',
  find: (d, view) => {
    const host = hostOf(d.endpoint);
    const zone = isIp(host) ? undefined : zoneNameOf(view)(host);
    if (!zone || d.role === 'source') return [];
    const known = plannedAt(view, zone, host).some((r) => ['A', 'AAAA', 'CNAME'].includes(r.type));
    return known
      ? []
      : [
          at(d, ['endpoint'], {
            charters: [],
            title: `${host} has no address`,
            text: `It lies in ${zone}, which is planned here, and nothing says where ${d.name} stands.`,
            remedy: { label: 'Reserve its address', act: { kind: 'open', path: `/addresses?site=${d.site}` } },
          }),
        ];
  },
});
