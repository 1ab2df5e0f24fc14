import { formatIp, parsePrefix } from '../../address/parse.ts';
import { certificatesFor } from '../certificates.ts';
import { familiesOf } from '../families.ts';
import type { Plan } from '../plan.ts';
import { addresses } from './addresses.ts';
import { aspect, because } from './aspect.ts';
import { nodes } from './nodes.ts';

export const certificates = aspect<Pick<Plan, 'certificates'>>({
  name: 'certificates',
  compute: ({ charter, need }) => {
    const first = familiesOf(charter).map((f) => {
      const services = parsePrefix(f.services);
      return formatIp({ v: services.v, n: services.n + 1n });
    });
    return { certificates: certificatesFor({ charter, api: need(addresses).api, nodes: need(nodes).nodes }, first) };
  },
  lines: ({ certificates: all }) => [
    {
      id: 'certificates',
      section: 6,
      label: 'Certificates',
      text: `${all.length}, first to be renewed after ${Math.min(...all.map((x) => x.days), 3650)} days`,
      why: all
        .filter((x) => x.server)
        .map((x) => because('names of a certificate', { name: x.name, names: [...x.names, ...x.addresses].join(', ') })),
    },
  ],
});
