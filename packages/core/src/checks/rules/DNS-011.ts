import { apiNameOf, inboundNameOf } from '../../charter/addresses.ts';
import { zoneNameOf } from '../../naming/plan.ts';
import { at, each, setTo } from '../check.ts';

export const DNS011 = each('Charter', {
  code: 'DNS-011',
  severity: 'mind',
  about: 'a name of a cluster lies in no declared zone',
  find: (d, view) => {
    const site = view.get('Site', d.site);
    return (
      [
        ['api', apiNameOf(d, site)],
        ['inbound', inboundNameOf(d, site)],
      ] as const
    ).flatMap(([use, name]) =>
      zoneNameOf(view)(name)
        ? []
        : [
            at(d, [use, 'name'], {
              title: `${name} lies in no zone of ours`,
              text: `Nodes and people find ${d.name} by that name. Somebody else may serve it; the proof asks for it.`,
              ...(d[use].name
                ? { remedy: setTo(d, [use, 'name'], undefined, 'Let it follow') }
                : { remedy: { label: 'Show zones', act: { kind: 'open' as const, path: `/addresses/names?site=${d.site}` } } }),
            }),
          ],
    );
  },
});
