import { addonsOf } from '../../model/bills.ts';
import { announcer } from '../../model/announcer.ts';
import { at, each, setTo } from '../check.ts';

export const SVC012 = each('Charter', {
  code: 'SVC-012',
  severity: 'mind',
  about: 'a service pool is declared, and nothing on the cluster announces it',
  find: (c, view) => {
    const release = view.get('Release', c.release);
    if (!c.servicePool || !release) return [];
    const has = (d: { components: readonly { name: string }[] } | undefined) => d?.components.some((x) => x.name === announcer);
    if (has(release) || addonsOf(c).some((name) => has(view.get('Addon', name)))) return [];
    const addon = view.keys('Addon').find((name) => has(view.get('Addon', name)));
    return [
      at(c, ['servicePool'], {
        title: `Nothing announces ${c.servicePool.range}`,
        text: `Neither release ${c.release} nor an add-on of ${c.name} has the component ${announcer}: services of it would wait for an address without end.`,
        ...(addon ? { remedy: setTo(c, ['addons'], [...c.addons, addon], `Add ${addon}`) } : {}),
      }),
    ];
  },
});
