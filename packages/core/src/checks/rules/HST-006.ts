import { holds, parseIp, parsePrefix, prefixRange } from '../../address/parse.ts';
import type { Check } from '../check.ts';

export const HST006: Check = {
  code: 'HST-006',
  severity: 'mind',
  about: 'a BMC outside every management network of its site',
  reads: ['hosts', 'networks'],
  find: ({ estate }) =>
    estate.hosts
      .filter(
        (h) =>
          h.bmc &&
          !estate.networks.some(
            (n) =>
              n.site === h.site &&
              n.purpose === 'management' &&
              holds(prefixRange(parsePrefix(n.prefix)), parseIp(h.bmc?.address ?? '')),
          ),
      )
      .map((h) => ({
        subject: { kind: 'Host', name: h.name },
        path: ['bmc', 'address'],
        site: h.site,
        title: `The BMC of ${h.name} is on no management network`,
        text: `${h.bmc?.address} lies in no prefix with that purpose at this site.`,
      })),
};
