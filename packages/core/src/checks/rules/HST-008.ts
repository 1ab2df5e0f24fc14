import { rackView } from '../../hosts/rack.ts';
import type { Check } from '../check.ts';

export const HST008: Check = {
  code: 'HST-008',
  severity: 'mind',
  about: 'a rack draws more than it may',
  reads: ['hosts', 'hypervisors', 'sites'],
  find: ({ estate }) =>
    estate.sites.flatMap((site) =>
      site.racks.flatMap((r, i) => {
        if (!r.limitW) return [];
        const all = [
          ...estate.hosts.filter((h) => h.site === site.name).map((h) => ({ ...h, drawsW: h.facts?.drawsW })),
          ...estate.hypervisors.filter((h) => h.site === site.name),
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
    ),
};
