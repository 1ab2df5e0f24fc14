import { bits, formatPrefix, parsePrefix } from '../../address/parse.ts';
import { each } from '../check.ts';

/** The API server takes service ranges of 2^20 addresses at the most (kube-apiserver, validation of --service-cluster-ip-range). */
const serviceBits = 20;
/** A node's block is at the most 16 bits longer than the pod range (kube-controller-manager, --node-cidr-mask-size). */
const blockBits = 16;

export const CHT014 = each('Charter', {
  code: 'CHT-014',
  severity: 'stop',
  about: 'a range is larger than a component of the control plane takes',
  find: (c) => {
    const services = parsePrefix(c.services.range);
    const pods = parsePrefix(c.pods.range);
    const subject = { kind: 'Charter' as const, name: c.name };
    const least = bits(services.v) - serviceBits;
    return [
      ...(services.length < least
        ? [
            {
              subject,
              path: ['services', 'range'],
              site: c.site,
              title: `The API server does not start with a service range of /${services.length}`,
              text: `${c.services.range} is larger than the /${least} that it takes at the most.`,
              remedy: {
                label: `Set ${formatPrefix({ ...services, length: least })}`,
                edits: [
                  {
                    op: 'set' as const,
                    kind: 'Charter' as const,
                    key: c.name,
                    path: ['services', 'range'],
                    value: formatPrefix({ ...services, length: least }),
                  },
                ],
              },
            },
          ]
        : []),
      ...(c.pods.perNode - pods.length > blockBits
        ? [
            {
              subject,
              path: ['pods', 'perNode'],
              site: c.site,
              title: `Blocks of /${c.pods.perNode} are too small for a pod range of /${pods.length}`,
              text: `The controller manager divides a range into blocks that are at the most ${blockBits} bits longer: /${pods.length + blockBits}.`,
              remedy: {
                label: `Set /${pods.length + blockBits}`,
                edits: [
                  {
                    op: 'set' as const,
                    kind: 'Charter' as const,
                    key: c.name,
                    path: ['pods', 'perNode'],
                    value: pods.length + blockBits,
                  },
                ],
              },
            },
          ]
        : []),
    ];
  },
});
