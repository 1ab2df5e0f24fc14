import { bits, parsePrefix } from '../../address/parse.ts';
import type { Plan } from '../plan.ts';
import { aspect, because } from './aspect.ts';

export const ranges = aspect<Pick<Plan, 'room'>>({
  name: 'ranges',
  compute: ({ charter }) => {
    const pods = parsePrefix(charter.pods.range);
    const services = parsePrefix(charter.services.range);
    const blockBits = bits(pods.v) - charter.pods.perNode;
    const perBlock = blockBits > 20 ? 1_000_000 : 2 ** Math.max(0, blockBits) - 2;
    return {
      room: {
        nodes: charter.pods.perNode < pods.length ? 0 : 2 ** Math.min(30, charter.pods.perNode - pods.length),
        podsPerNode: Math.min(charter.pods.most, perBlock),
        services: 2 ** Math.min(30, bits(services.v) - services.length) - 2,
      },
    };
  },
  lines: ({ charter, room, nodes }) => [
    {
      id: 'room',
      section: 3,
      label: 'Room',
      text: `${room.nodes} nodes, ${room.podsPerNode} pods each; ${nodes.length} planned`,
      why: [
        because(
          'blocks of the pod range',
          { range: charter.pods.range, length: Number(charter.pods.range.split('/')[1]), perNode: charter.pods.perNode },
          ['pods', 'perNode'],
        ),
        because('most pods a node', { most: charter.pods.most }, ['pods', 'most']),
      ],
    },
    {
      id: 'service-room',
      section: 3,
      label: 'Service addresses',
      text: `${room.services}`,
      why: [because('size of the service range', { range: charter.services.range }, ['services', 'range'])],
    },
  ],
});
