import { keptBack } from '../../access/credentials.ts';
import { formatIp, parsePrefix, prefixRange } from '../../address/parse.ts';
import type { MoveRule } from '../move.ts';

/** Controllers are asked nothing before the keyring has an entry that may be sent to their network. */
export const keyring: MoveRule = ({ site, networks, hosts, short, estate }) => {
  const management = networks.find((n) => n.purpose === 'management');
  if (!management || (hosts.length && !short)) return [];
  const r = prefixRange(parsePrefix(management.prefix));
  const address = formatIp({ v: r.v, n: r.first + 1n });
  if (estate.keys.some((k) => k.use === 'bmc' && !keptBack(k, { use: 'bmc', address }))) return [];
  return [
    {
      stage: 'keyring',
      text: `no credential may be sent to controllers in ${management.prefix}`,
      label: 'Add it to the keyring',
      go: `/keyring?add=bmc-${site.name}&use=bmc&places=${management.prefix}&site=${site.name}`,
    },
  ];
};
