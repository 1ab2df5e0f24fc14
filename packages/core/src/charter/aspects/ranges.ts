import { bits, parsePrefix } from '../../address/parse.ts';
import { familiesOf } from '../families.ts';
import type { Plan } from '../plan.ts';
import { aspect, because } from './aspect.ts';

export const ranges = aspect<Pick<Plan, 'room'>>({
  name: 'ranges',
  compute: ({ charter }) => {
    const each = familiesOf(charter).map((f) => {
      const pods = parsePrefix(f.pods);
      const services = parsePrefix(f.services);
      const blockBits = bits(pods.v) - f.perNode;
      const perBlock = blockBits > 20 ? 1_000_000 : 2 ** Math.max(0, blockBits) - 2;
      return {
        nodes: f.perNode < pods.length ? 0 : 2 ** Math.min(30, f.perNode - pods.length),
        podsPerNode: Math.min(charter.pods.most, perBlock),
        services: 2 ** Math.min(30, bits(services.v) - services.length) - 2,
      };
    });
    // A node and a service need an address of each version: the scarcer one counts.
    const least = (what: keyof (typeof each)[number]) => Math.min(...each.map((e) => e[what]));
    return { room: { nodes: least('nodes'), podsPerNode: least('podsPerNode'), services: least('services') } };
  },
  lines: ({ charter, room, nodes }) => [
    {
      id: 'room',
      section: 3,
      label: 'Room',
      text: `${room.nodes} nodes, ${room.podsPerNode} pods each; ${nodes.length} planned`,
      why: [
        ...familiesOf(charter).map((f) =>
          because(
            'blocks of the pod range',
            { range: f.pods, length: Number(f.pods.split('/')[1]), perNode: f.perNode },
            f.at.perNode,
          ),
        ),
        because('most pods a node', { most: charter.pods.most }, ['pods', 'most']),
      ],
    },
    {
      id: 'service-room',
      section: 3,
      label: 'Service addresses',
      text: `${room.services}`,
      why: familiesOf(charter).map((f) => because('size of the service range', { range: f.services }, f.at.services)),
    },
  ],
});
