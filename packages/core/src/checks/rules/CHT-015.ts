import { holds, parseIp, parsePrefix, prefixRange, serverList } from '../../address/parse.ts';
import { rangesOf } from '../../charter/families.ts';
import { at, each } from '../check.ts';

export const CHT015 = each('Charter', {
  code: 'CHT-015',
  severity: 'stop',
  about: 'a pod or service range covers a resolver or time server',
  find: (d, view) => {
    const site = view.get('Site', d.site);
    const n = view.get('Network', d.machineNetwork);
    const servers = [site?.resolvers, site?.ntp, n?.resolvers, n?.ntp].flatMap((l) => serverList(l ?? []).servers);
    return rangesOf(d).flatMap((r) => {
      const range = prefixRange(parsePrefix(r.range));
      const hit = [...new Set(servers)].filter((a) => holds(range, parseIp(a)));
      return hit.length
        ? [
            at(d, r.at, {
              title: `${r.title} covers ${hit[0]}`,
              text: `${hit.join(' and ')} ${hit.length === 1 ? 'is a resolver or time server' : 'are resolvers or time servers'} of ${d.site}, and would be taken for ${r.of}.`,
            }),
          ]
        : [];
    });
  },
});
