import { rackView } from '../../hosts/rack.ts';
import { each } from '../check.ts';

export const HST008 = each('Site', {
  code: 'HST-008',
  severity: 'mind',
  about: 'a rack draws more than it may',
  find: (site, view) =>
    site.racks.flatMap((r, i) => {
      if (!r.limitW) return [];
      const all = [
        ...view.by('Host', 'site', site.name).map((h) => ({ ...h, drawsW: h.facts?.drawsW })),
        ...view.by('Hypervisor', 'site', site.name),
      ];
      const { drawsW } = rackView(site, r.name, all, 'front');
      return drawsW > r.limitW
        ? [
            {
              subject: { kind: 'Site' as const, name: site.name },
              path: ['racks', i, 'limitW'],
              site: site.name,
              title: `Rack ${r.name} draws ${drawsW} W of ${r.limitW} W`,
              text: `${drawsW - r.limitW} W too much by the last readings; a feed that fails takes the other one with it.`,
              remedy: {
                label: 'Show the rack',
                act: { kind: 'open' as const, path: `/hosts/racks?site=${site.name}&rack=${r.name}` },
              },
            },
          ]
        : [];
    }),
});
