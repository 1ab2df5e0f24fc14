import { parsePrefix } from '../../address/index.ts';
import { overhead } from '../../charter/arithmetic.ts';
import type { Check } from '../check.ts';

/** What tunnels carry where no machine network says more: a full frame of Ethernet. */
const usual = 1500;

export const NET011: Check = {
  code: 'NET-011',
  severity: 'mind',
  about: 'a network of tunnels has no room for the encapsulation',
  reads: ['networks'],
  find: ({ estate }) =>
    estate.networks
      .filter((n) => n.purpose === 'tunnel')
      .flatMap((n) => {
        const carried = Math.max(
          usual,
          ...estate.networks.filter((m) => m.site === n.site && m.purpose === 'machine').map((m) => m.mtu),
        );
        const { v } = parsePrefix(n.prefix);
        const headers = overhead('geneve', v);
        const least = carried + headers;
        if (n.mtu >= least) return [];
        return {
          subject: { kind: 'Network', name: n.name },
          path: ['mtu'],
          site: n.site,
          title: `MTU ${n.mtu} of ${n.name} is too small for tunnels`,
          text: `Packets of ${carried} bytes and the outer headers of ${headers} bytes (Geneve over IPv${v}, RFC 8926) make ${least}: larger packets than ${n.mtu - headers} bytes are lost or cut up.`,
          remedy: { label: `Set ${least}`, edits: [{ op: 'set', kind: 'Network', key: n.name, path: ['mtu'], value: least }] },
        };
      }),
};
