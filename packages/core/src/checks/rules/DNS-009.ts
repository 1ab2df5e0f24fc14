import { parsePrefix } from '../../address/parse.ts';
import { kinds } from '../../model/documents.ts';
import { commonReverseZone, reverseName, zoneFor } from '../../naming/reverse.ts';
import type { Check } from '../check.ts';

export const DNS009: Check = {
  code: 'DNS-009',
  severity: 'mind',
  about: 'a network of nodes has no reverse zone',
  reads: ['networks', 'zones', 'charters'],
  find: ({ estate, chartersOn }) =>
    estate.networks.flatMap((n) => {
      const charters = chartersOn(n.name);
      const forward = estate.zones.find((z) => z.site === n.site && !z.name.endsWith('.arpa'));
      if (!charters.length || !forward) return [];
      const prefix = parsePrefix(n.prefix);
      if (zoneFor(reverseName(n.prefix.split('/')[0] as string), estate.zones)) return [];
      const name = commonReverseZone(prefix);
      return [
        {
          subject: { kind: 'Network' as const, name: n.name },
          path: ['prefix'],
          site: n.site,
          title: `No reverse zone is declared for ${n.name}`,
          text: `Names of its addresses would stand in ${name}. Nodes are proved to resolve forward and back; where nobody else serves that zone, the proof of ${charters.join(', ')} fails.`,
          remedy: {
            label: `Declare ${name}`,
            edits: [
              {
                op: 'put' as const,
                doc: kinds.Zone.parse({ ...forward, name, site: n.site }),
              },
            ],
          },
        },
      ];
    }),
};
