import { nearest } from '../../model/nearest.ts';
import { at, each, setTo } from '../check.ts';

export const NET021 = each(['Network', 'Zone', 'Host', 'Hypervisor', 'Registry'], {
  code: 'NET-021',
  severity: 'stop',
  about: 'a document belongs to a site that is not declared',
  find: (d, view) => {
    if (view.get('Site', d.site)) return [];
    const near = nearest(d.site, view.keys('Site'));
    return [
      at(d, ['site'], {
        title: `There is no site ${d.site}`,
        text: `${d.kind} ${d.name} says that it belongs there.`,
        ...(near ? { remedy: setTo(d, ['site'], near, `Set ${near}`) } : {}),
      }),
    ];
  },
});
