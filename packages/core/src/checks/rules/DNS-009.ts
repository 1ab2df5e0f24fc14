import { parsePrefix } from '../../address/parse.ts';
import { kinds } from '../../model/documents.ts';
import { zoneNameOf } from '../../naming/plan.ts';
import { commonReverseZone, reverseName } from '../../naming/reverse.ts';
import { chartersOn, each } from '../check.ts';

export const DNS009 = each('Network', {
  code: 'DNS-009',
  severity: 'mind',
  about: 'a network of nodes has no reverse zone',
  find: (n, view) => {
    const charters = chartersOn(view, n.name);
    const forward = view.by('Zone', 'site', n.site).find((z) => !z.name.endsWith('.arpa'));
    if (!charters.length || !forward) return [];
    const prefix = parsePrefix(n.prefix);
    if (zoneNameOf(view)(reverseName(n.prefix.split('/')[0] as string))) return [];
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
  },
});
