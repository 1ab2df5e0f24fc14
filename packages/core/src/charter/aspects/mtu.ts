import { parsePrefix } from '../../address/parse.ts';
import { overhead } from '../arithmetic.ts';
import type { Plan } from '../plan.ts';
import { aspect, because } from './aspect.ts';
import { references } from './references.ts';

export const mtu = aspect<Pick<Plan, 'podMtu'>>({
  name: 'mtu',
  compute: ({ charter, need }) => {
    const { network } = need(references);
    const link = network?.mtu ?? 1500;
    const over = overhead(charter.overlay.kind, network ? parsePrefix(network.prefix).v : 4);
    return { podMtu: { link, overhead: over, pod: charter.overlay.mtu ?? link - over } };
  },
  lines: ({ charter, podMtu: m }) => [
    {
      id: 'pod-mtu',
      section: 3,
      label: 'Pod MTU',
      text: charter.overlay.mtu
        ? `${m.link - m.overhead} would follow; ${charter.overlay.mtu} is set`
        : `${m.pod} = ${m.link} − ${m.overhead}`,
      why: [
        because('link MTU', { mtu: m.link, network: charter.machineNetwork }, ['machineNetwork']),
        because('encapsulation adds', { kind: charter.overlay.kind, bytes: m.overhead }, ['overlay', 'kind']),
      ],
    },
  ],
});
