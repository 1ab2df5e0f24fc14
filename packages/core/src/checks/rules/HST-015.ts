import { absentAdapters } from '../../charter/uplink.ts';
import { nearest } from '../../model/nearest.ts';
import { each } from '../check.ts';

export const HST015 = each('Host', {
  code: 'HST-015',
  severity: 'stop',
  about: 'an uplink that cannot be: an adapter that the host does not have, one named twice, or a tag without a VLAN',
  find: (h, view) => {
    const up = h.uplink;
    if (!up || !h.facts || h.state === 'retired') return [];
    const names = h.facts.nics.map((n) => n.name);
    const [absent] = absentAdapters(h);
    const twice = up.adapters.find((name, i) => up.adapters.indexOf(name) !== i);
    const charter = h.held && view.get('Charter', h.held.charter);
    const network = view.by('Network', 'site', h.site).find((n) => n.name === charter?.machineNetwork);
    const free = names.filter((name) => !up.adapters.includes(name));
    const near = absent ? (nearest(absent, free) ?? (free.length === 1 ? free[0] : undefined)) : undefined;
    const wrong = absent
      ? {
          path: 'adapters',
          title: `${h.name} has no adapter ${absent}`,
          why: `it has ${names.join(', ') || 'none that is known'}`,
        }
      : twice
        ? {
            path: 'adapters',
            title: `${twice} is named twice in the uplink of ${h.name}`,
            why: 'each adapter can be in it once',
          }
        : up.tagged && network && !network.vlan
          ? { path: 'tagged', title: `${network.name} has no VLAN that ${h.name} could tag`, why: 'the network declares none' }
          : undefined;
    if (!wrong) return [];
    return [
      {
        subject: { kind: 'Host' as const, name: h.name },
        path: ['uplink', wrong.path],
        site: h.site,
        charters: h.held && h.state === 'held' ? [h.held.charter] : [],
        title: wrong.title,
        text: `Its machine network is to be carried by ${up.adapters.join(' and ')}${up.tagged ? ', tagged' : ''}; ${wrong.why}.`,
        ...(near
          ? {
              remedy: {
                label: `Set ${near} for ${absent}`,
                edits: [
                  {
                    op: 'set' as const,
                    kind: 'Host' as const,
                    key: h.name,
                    path: ['uplink', 'adapters'],
                    value: up.adapters.map((name) => (name === absent ? near : name)),
                  },
                ],
              },
            }
          : {}),
      },
    ];
  },
});
