import { apiNameOf, inboundNameOf } from '../../charter/addresses.ts';
import { namesOfCharters } from '../names.ts';
import { at, each, setTo } from '../check.ts';

export const DNS010 = each('Charter', {
  code: 'DNS-010',
  severity: 'stop',
  about: 'two clusters have one name',
  find: (d, view) => {
    const site = view.get('Site', d.site);
    const taken = namesOfCharters(view);
    return (
      [
        ['api', apiNameOf(d, site)],
        ['inbound', inboundNameOf(d, site)],
      ] as const
    ).flatMap(([use, name]) => {
      const other = (taken.get(name) ?? []).find((c) => c < d.name);
      return other
        ? [
            at(d, [use, 'name'], {
              title: `${name} also belongs to ${other}`,
              text: `Both charters ask for that name, and it can lead to one address only.`,
              ...(d[use].name ? { remedy: setTo(d, [use, 'name'], undefined, 'Let it follow') } : {}),
            }),
          ]
        : [];
    });
  },
});
