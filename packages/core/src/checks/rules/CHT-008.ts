import { each, planFor } from '../check.ts';

export const CHT008 = each('Charter', {
  code: 'CHT-008',
  severity: 'mind',
  about: 'losing one zone takes the quorum',
  find: (c, view) => {
    const { nodes, quorum } = planFor(view, c);
    const cp = nodes.filter((n) => n.role === 'control-plane');
    const site = view.get('Site', c.site);
    if (cp.length < 3 || site?.form === 'edge') return [];
    const zones = new Map<string, number>();
    for (const n of cp) if (n.zone) zones.set(n.zone, (zones.get(n.zone) ?? 0) + 1);
    const worst = [...zones].sort((a, b) => b[1] - a[1])[0];
    return worst && worst[1] > quorum.tolerates
      ? [
          {
            subject: { kind: 'Charter' as const, name: c.name },
            path: ['controlPlane', 'count'],
            site: c.site,
            title: `Zone ${worst[0]} takes the quorum with it`,
            text: `${worst[1]} of ${cp.length} control-plane hosts stand in zone ${worst[0]}; ${quorum.tolerates} may be lost.`,
          },
        ]
      : [];
  },
});
