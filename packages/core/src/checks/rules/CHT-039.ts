import { fits } from '../../charter/placement.ts';
import { at, each, planFor } from '../check.ts';

export const CHT039 = each('Charter', {
  code: 'CHT-039',
  severity: 'mind',
  about: 'the whole control plane draws from one power feed, and another has room',
  find: (d, view) => {
    const { nodes, notChosen } = planFor(view, d);
    const members = nodes.filter((n) => n.role === 'control-plane');
    const feed = members[0]?.feed;
    if (members.length < 2 || !feed || members.some((n) => n.feed !== feed)) return [];
    const feedOf = (host: string) => view.get('Host', host)?.feed;
    const others = notChosen.filter((n) => n.why === fits && feedOf(n.host) !== feed);
    return others.length
      ? [
          at(d, ['controlPlane', 'count'], {
            title: `Power feed ${feed} carries the whole control plane of ${d.name}`,
            text: `When it is away, all ${members.length} members are. ${others[0]?.host} draws from ${feedOf(others[0]?.host ?? '') ?? 'both'}, and would fit.`,
            remedy: { label: 'Show the hosts', act: { kind: 'open', path: `/hosts?site=${d.site}` } },
          }),
        ]
      : [];
  },
});
