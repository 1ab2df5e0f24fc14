import { bits, formatPrefix, parsePrefix } from '../../address/parse.ts';
import { familiesOf } from '../../charter/families.ts';
import { at, each, setTo } from '../check.ts';

/** The API server takes service ranges of 2^20 addresses at the most (kube-apiserver, validation of --service-cluster-ip-range). */
const serviceBits = 20;
/** A node's block is at the most 16 bits longer than the pod range (kube-controller-manager, --node-cidr-mask-size). */
const blockBits = 16;

export const CHT014 = each('Charter', {
  code: 'CHT-014',
  severity: 'stop',
  about: 'a range is larger than a component of the control plane takes',
  find: (c) =>
    familiesOf(c).flatMap((f) => {
      const services = parsePrefix(f.services);
      const pods = parsePrefix(f.pods);
      const least = bits(services.v) - serviceBits;
      const smaller = formatPrefix({ ...services, length: least });
      return [
        ...(services.length < least
          ? [
              at(c, f.at.services, {
                title: `The API server does not start with a service range of /${services.length}`,
                text: `${f.services} is larger than the /${least} that it takes at the most.`,
                remedy: setTo(c, f.at.services, smaller, `Set ${smaller}`),
              }),
            ]
          : []),
        ...(f.perNode - pods.length > blockBits
          ? [
              at(c, f.at.perNode, {
                title: `Blocks of /${f.perNode} are too small for a pod range of /${pods.length}`,
                text: `The controller manager divides a range into blocks that are at the most ${blockBits} bits longer: /${pods.length + blockBits}.`,
                remedy: setTo(c, f.at.perNode, pods.length + blockBits, `Set /${pods.length + blockBits}`),
              }),
            ]
          : []),
      ];
    }),
});
