import { parseIp } from '../../address/parse.ts';
import { eachGroup } from '../check.ts';

export const ADR007 = eachGroup('Reservation', 'mac', {
  code: 'ADR-007',
  severity: 'mind',
  about: 'one MAC has two addresses in one network',
  find: (found, view) => {
    // The lowest address stays.
    const list = [...found].sort((a, b) => (parseIp(a.address).n < parseIp(b.address).n ? -1 : 1));
    const [first, ...others] = list as [(typeof list)[number], ...typeof list];
    const last = others.at(-1) ?? first;
    return [
      {
        subject: { kind: 'Reservation' as const, name: `${last.network}/${last.address}` },
        path: ['mac'],
        site: view.get('Network', first.network)?.site ?? '',
        title: `${first.mac} has ${list.length} addresses in ${first.network}`,
        text: `${list.map((r) => r.address).join(' and ')} are bound to it. A DHCP server gives it one of them, and takes the configuration or refuses it as it likes.`,
        remedy: {
          label: `Keep ${first.address} bound to it`,
          edits: others.map((r) => ({
            op: 'set' as const,
            kind: 'Reservation' as const,
            key: `${r.network}/${r.address}`,
            path: ['mac'],
            value: undefined,
          })),
        },
      },
    ];
  },
});
