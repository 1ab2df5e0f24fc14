import { firstPool } from '../../charter/pools.ts';
import { each, planFor } from '../check.ts';

export const CHT005 = each('Charter', {
  code: 'CHT-005',
  severity: 'stop',
  about: 'too few hosts fit',
  find: (c, view) => {
    // Of a cluster that serves too: a charter that asks for more than there is saves, and must not do so in silence.
    const { problems, notChosen } = planFor(view, c);
    return problems
      .filter((p) => p.about === 'control-plane' || p.about === 'workers')
      .map((p) => ({
        subject: { kind: 'Charter' as const, name: c.name },
        path: p.path,
        site: c.site,
        title: `${p.found} of ${p.wanted} ${p.about === 'workers' ? (p.named === firstPool ? 'workers' : `hosts for ${p.named}`) : 'control-plane hosts'} found`,
        text: notChosen.length
          ? `Not chosen: ${notChosen
              .slice(0, 4)
              .map((n) => `${n.host} (${n.why})`)
              .join('; ')}${notChosen.length > 4 ? ` and ${notChosen.length - 4} more` : ''}.`
          : 'No host is listed at this site. Sweep its management network.',
        remedy: { label: 'Show the hosts', act: { kind: 'open' as const, path: `/hosts?site=${c.site}` } },
      }));
  },
});
