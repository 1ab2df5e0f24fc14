import { parsePrefix } from '../../address/index.ts';
import { overhead } from '../../charter/arithmetic.ts';
import { each } from '../check.ts';

/** What tunnels carry where no machine network says more: a full frame of Ethernet. */
const usual = 1500;

export const NET011 = each('Network', {
  code: 'NET-011',
  severity: 'mind',
  about: 'a network of tunnels has no room for the encapsulation',
  find: (n, view) => {
    if (n.purpose !== 'tunnel') return [];
    const carried = Math.max(
      usual,
      ...view
        .by('Network', 'site', n.site)
        .filter((m) => m.purpose === 'machine')
        .map((m) => m.mtu),
    );
    const { v } = parsePrefix(n.prefix);
    const headers = overhead('geneve', v);
    const least = carried + headers;
    if (n.mtu >= least) return [];
    return [
      {
        subject: { kind: 'Network' as const, name: n.name },
        path: ['mtu'],
        site: n.site,
        title: `MTU ${n.mtu} of ${n.name} is too small for tunnels`,
        text: `Packets of ${carried} bytes and the outer headers of ${headers} bytes (Geneve over IPv${v}, RFC 8926) make ${least}: larger packets than ${n.mtu - headers} bytes are lost or cut up.`,
        remedy: {
          label: `Set ${least}`,
          edits: [{ op: 'set' as const, kind: 'Network' as const, key: n.name, path: ['mtu'], value: least }],
        },
      },
    ];
  },
});
