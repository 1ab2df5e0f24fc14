import { holds, parseIp, parsePrefix, prefixRange } from '../../address/parse.ts';
import { each } from '../check.ts';

export const HST006 = each('Host', {
  code: 'HST-006',
  severity: 'mind',
  about: 'a BMC outside every management network of its site',
  find: (h, view) => {
    const address = h.bmc?.address;
    const inside =
      !address ||
      view
        .by('Network', 'site', h.site)
        .some((n) => n.purpose === 'management' && holds(prefixRange(parsePrefix(n.prefix)), parseIp(address)));
    return inside
      ? []
      : [
          {
            subject: { kind: 'Host', name: h.name },
            path: ['bmc', 'address'],
            site: h.site,
            title: `The BMC of ${h.name} is on no management network`,
            text: `${address} lies in no prefix with that purpose at this site.`,
          },
        ];
  },
});
