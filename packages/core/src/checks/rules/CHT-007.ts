import { overhead } from '../../charter/arithmetic.ts';
import { parsePrefix } from '../../address/parse.ts';
import { each } from '../check.ts';

export const CHT007 = each('Charter', {
  code: 'CHT-007',
  severity: 'stop',
  about: 'the pod MTU set is larger than the link leaves',
  find: (c, view) => {
    const n = view.get('Network', c.machineNetwork);
    if (!n || c.overlay.mtu === undefined) return [];
    const over = overhead(c.overlay.kind, parsePrefix(n.prefix).v);
    const most = n.mtu - over;
    return c.overlay.mtu > most
      ? [
          {
            subject: { kind: 'Charter' as const, name: c.name },
            path: ['overlay', 'mtu'],
            site: c.site,
            title: `Pod MTU ${c.overlay.mtu} does not fit the link`,
            text: `${n.name} carries ${n.mtu}, ${c.overlay.kind} adds ${over}: ${most} is the most. Larger packets vanish, small ones pass, and it looks like a slow application.`,
            remedy: {
              label: `Let it follow: ${most}`,
              edits: [{ op: 'set' as const, kind: 'Charter' as const, key: c.name, path: ['overlay', 'mtu'], value: undefined }],
            },
          },
        ]
      : [];
  },
});
